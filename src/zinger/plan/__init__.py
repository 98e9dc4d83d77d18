"""The plan room: the job's files in, a resolved and checked Plan out. Pure."""

from zinger.plan.checks import FamilyRules, needed_secrets
from zinger.plan.jobfile import JOB_FILE, SHEET_FILE, UnreadableError, read_job
from zinger.plan.model import Device, Layer, Origin, Plan, Site, Value
from zinger.plan.problems import Change, Problem, Repair, Severity, Spot, did_you_mean, mend, think
from zinger.plan.resolve import resolve
from zinger.plan.secrets import MASK, SecretRef, SecretTraits
from zinger.plan.settings import ACCOUNTS, SECTIONS, SETTINGS, Account, ManagementAddress, Setting, Stop
from zinger.plan.sheets import read_sheet

__all__ = [
    "ACCOUNTS",
    "JOB_FILE",
    "MASK",
    "SECTIONS",
    "SETTINGS",
    "SHEET_FILE",
    "Account",
    "Change",
    "Device",
    "FamilyRules",
    "Layer",
    "ManagementAddress",
    "Origin",
    "Plan",
    "Problem",
    "Repair",
    "SecretRef",
    "SecretTraits",
    "Setting",
    "Severity",
    "Site",
    "Spot",
    "Stop",
    "UnreadableError",
    "Value",
    "did_you_mean",
    "mend",
    "needed_secrets",
    "read_job",
    "read_sheet",
    "resolve",
    "think",
]
