"""What a careful colleague would notice on the sheet before a cable is touched.

One generator for each check, declared with its id, severity and the settings that it looks at (`registry`);
`check` runs them all, so that a person sees everything at once. `docs/checks.md` is written from them.
"""

from __future__ import annotations

from zinger.plan.checks import addresses, edge, identity, management, secrets, switching, wireless
from zinger.plan.checks.registry import CHECKS, Check, run_checks
from zinger.plan.checks.secrets import secrets_of
from zinger.plan.families import FamilyRules, Rules
from zinger.plan.model import Device, Plan
from zinger.plan.problems import Problem
from zinger.plan.secrets import SecretRef, Vaulted

ROOMS = {
    "addresses": addresses,
    "identity": identity,
    "management": management,
    "secrets": secrets,
    "switching": switching,
    "wireless": wireless,
    "edge and voice": edge,
}
"""The modules that declare checks, by what they are about."""


def check(plan: Plan, families: Rules, vaulted: Vaulted) -> list[Problem]:
    """Run every check and return all that was found, in the order of the checks."""
    return run_checks(plan, families, vaulted)


def needed_secrets(device: Device) -> tuple[SecretRef, ...]:
    """Every vault entry that must exist before this device is spoken to."""
    return (device.factory_account_secret, *dict.fromkeys(secret for _, _, secret in secrets_of(device)))


__all__ = ["CHECKS", "ROOMS", "Check", "FamilyRules", "Rules", "check", "needed_secrets"]
