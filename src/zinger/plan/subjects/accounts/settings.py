"""The settings of accounts and passwords."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.subjects.accounts.models import Lockout, SignInServer
from zinger.plan.values.account import parse_account
from zinger.plan.values.bad import BadValue
from zinger.plan.values.item import items
from zinger.plan.values.secrets import parse_secret
from zinger.plan.values.text import each, one_of


def parse_order(raw: object) -> tuple[str, ...]:
    """Who is asked first whether somebody may sign in, and who when that does not answer: `servers, local`."""
    order = each(one_of("servers", "local"))(raw)
    if not order:
        raise BadValue("it names neither servers nor local", "write servers, local")
    return order


ADMINISTRATOR = Setting("accounts.administrator", "administrator", Stop.ACCOUNTS, parse_account, required=True)
SECOND = Setting("accounts.second", "second administrator", Stop.ACCOUNTS, parse_account)
OPERATOR = Setting("accounts.operator", "operator", Stop.ACCOUNTS, parse_account)
VIEWER = Setting("accounts.viewer", "view-only account", Stop.ACCOUNTS, parse_account)
CONSOLE_PASSWORD = Setting("passwords.console", "console password", Stop.ACCOUNTS, parse_secret)
SIGN_IN_PASSWORD = Setting("passwords.network", "network sign-in password", Stop.ACCOUNTS, parse_secret)
PRIVILEGED_PASSWORD = Setting("passwords.privileged", "privileged password", Stop.ACCOUNTS, parse_secret)
STORED_PASSWORD = Setting("passwords.stored", "key for stored secrets", Stop.ACCOUNTS, parse_secret)
"""What a device encrypts its own secrets with; it is asked for once and never shown again."""

SERVERS = Setting(
    "accounts.servers",
    "sign-in servers",
    Stop.ACCOUNTS,
    items(SignInServer),
    ("sign-in servers", "aaa servers"),
    reference="RFC 2865, RFC 8907",
)
ORDER = Setting("accounts.order", "sign-in order", Stop.ACCOUNTS, parse_order, ("sign-in order", "aaa order"))
LOCKOUT = Setting(
    "accounts.lockout", "lock after wrong passwords", Stop.ACCOUNTS, Lockout.read, ("lockout", "login attempts")
)

SETTINGS: tuple[Setting[Any], ...] = (
    ADMINISTRATOR,
    SECOND,
    OPERATOR,
    VIEWER,
    CONSOLE_PASSWORD,
    SIGN_IN_PASSWORD,
    PRIVILEGED_PASSWORD,
    STORED_PASSWORD,
    SERVERS,
    ORDER,
    LOCKOUT,
)

ACCOUNTS = (ADMINISTRATOR, SECOND, OPERATOR, VIEWER)
"""The settings that are accounts, the administrator first."""
