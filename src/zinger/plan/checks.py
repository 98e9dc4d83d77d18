"""All checks: what a careful colleague would notice on the sheet before a cable is touched.

The checks stand in `subjects/`; `check` runs them all, so that a person sees everything at once. `docs/checks.md` is
written from them.
"""

from __future__ import annotations

from zinger.plan import across, owing
from zinger.plan.checking import Check, checks_of, run_checks
from zinger.plan.families import Rules
from zinger.plan.model import Plan
from zinger.plan.problems import Problem
from zinger.plan.subjects.accounts import checks as accounts
from zinger.plan.subjects.edge import checks as edge
from zinger.plan.subjects.management import checks as management
from zinger.plan.subjects.names import checks as names
from zinger.plan.subjects.services import checks as services
from zinger.plan.subjects.switching import checks as switching
from zinger.plan.subjects.voice import checks as voice
from zinger.plan.subjects.wireless import checks as wireless
from zinger.plan.values.secrets import Vaulted

BY_SUBJECT: dict[str, tuple[Check, ...]] = {
    "management": checks_of(management),
    "names and time": checks_of(names),
    "who is who, and what spans subjects": checks_of(across),
    "what will be owed": checks_of(owing),
    "services": checks_of(services),
    "accounts and passwords": checks_of(accounts),
    "switching": checks_of(switching),
    "wireless": checks_of(wireless),
    "edge": checks_of(edge),
    "voice": checks_of(voice),
}
"""The checks by what they are about."""

CHECKS: tuple[Check, ...] = tuple(check for part in BY_SUBJECT.values() for check in part)


def check(plan: Plan, families: Rules, vaulted: Vaulted) -> list[Problem]:
    """Run every check and return all that was found, in the order of the checks."""
    return run_checks(CHECKS, plan, families, vaulted)
