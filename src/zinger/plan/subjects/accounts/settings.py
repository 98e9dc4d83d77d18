"""The settings of accounts and passwords."""

from __future__ import annotations

from typing import Any

from zinger.plan.setting import Setting, Stop
from zinger.plan.values.account import parse_account
from zinger.plan.values.secrets import parse_secret

ADMINISTRATOR = Setting("accounts.administrator", "administrator", Stop.ACCOUNTS, parse_account, required=True)
OPERATOR = Setting("accounts.operator", "operator", Stop.ACCOUNTS, parse_account)
VIEWER = Setting("accounts.viewer", "view-only account", Stop.ACCOUNTS, parse_account)
CONSOLE_PASSWORD = Setting("passwords.console", "console password", Stop.ACCOUNTS, parse_secret)
SIGN_IN_PASSWORD = Setting("passwords.network", "network sign-in password", Stop.ACCOUNTS, parse_secret)
PRIVILEGED_PASSWORD = Setting("passwords.privileged", "privileged password", Stop.ACCOUNTS, parse_secret)
STORED_PASSWORD = Setting("passwords.stored", "key for stored secrets", Stop.ACCOUNTS, parse_secret)
"""What a device encrypts its own secrets with; it is asked for once and never shown again."""

SETTINGS: tuple[Setting[Any], ...] = (
    ADMINISTRATOR,
    OPERATOR,
    VIEWER,
    CONSOLE_PASSWORD,
    SIGN_IN_PASSWORD,
    PRIVILEGED_PASSWORD,
    STORED_PASSWORD,
)

ACCOUNTS = (ADMINISTRATOR, OPERATOR, VIEWER)
"""The settings that are accounts, the administrator first."""
