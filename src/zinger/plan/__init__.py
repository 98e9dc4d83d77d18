"""The plan room: the job's files in, a resolved and checked Plan out. Pure."""

from zinger.plan.checks import FamilyRules, needed_secrets
from zinger.plan.jobfile import JOB_FILE, SHEET_FILE, read_job, read_sheet
from zinger.plan.model import Device, Layer, Origin, Plan, Site, Value
from zinger.plan.problems import Problem, Severity, Spot, did_you_mean, mend, think
from zinger.plan.resolve import resolve
from zinger.plan.secrets import MASK, SecretRef, SecretTraits
from zinger.plan.settings import ACCOUNTS, SETTINGS, Account, ManagementAddress, Setting, Stop

__all__ = [
    "ACCOUNTS", "JOB_FILE", "MASK", "SETTINGS", "SHEET_FILE", "Account", "Device", "FamilyRules", "Layer",
    "ManagementAddress", "Origin", "Plan", "Problem", "SecretRef", "SecretTraits", "Setting", "Severity", "Site",
    "Spot", "Stop", "Value", "did_you_mean", "mend", "needed_secrets", "read_job", "read_sheet", "resolve", "think",
]
