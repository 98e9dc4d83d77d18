"""`docs/checks.md`, written from the checks themselves: `make docs`."""

from __future__ import annotations

import sys
from pathlib import Path

from zinger.plan.checking import Check
from zinger.plan.checks import BY_SUBJECT, CHECKS
from zinger.plan.settings import SETTINGS

_READING = (
    (
        "job-unreadable, family-unreadable",
        "`job.yaml` or a phrasebook is not valid YAML: a duplicate key, a tab, an alias bomb.",
    ),
    ("job-shape, family-shape, family-broken", "A key that means nothing, or a part that is missing."),
    (
        "sheet-unreadable, sheet-empty, sheet-missing, sheet-elsewhere",
        "The build sheet can't be read, or is not there.",
    ),
    ("sheet-shape", "Two columns mean the same, a column is missing, or a row has more cells than headings."),
    (
        "unknown-setting, unknown-site, unknown-role, unknown-family, family-by-hand",
        "A name that nothing else knows; the likeliest is told.",
    ),
    (
        "SETTING-form",
        "A value that its setting does not take, such as `management-address-form`; for each setting. Also a formula's "
        "error, a formula without its value, a date that a spreadsheet made, and a character that nobody sees.",
    ),
    (
        "subnet-form, addresses-form, naming-form, password-rules-form, mac-form, fingerprint-form",
        "A site's subnet, a rule of the job, a MAC or a certificate's fingerprint that can't be read.",
    ),
    ("password-in-sheet", "A warning: a column of the sheet, by its heading, has passwords for all to read."),
    ("no-free-address", "A site's subnet has no address left to give out."),
    ("vault-closed", "The vault can't be opened, so no secret can be checked."),
)

_HEAD = """\
# What is checked before a cable is touched

Written by `make docs` from the code (`src/zinger/plan/subjects/*/checks.py`); do not edit it by hand. {count} checks.
`zinger check JOB` runs them all, `--repairs` shows what each repair would change; the Plan screen makes and undoes it.
Many findings of one kind are told as one; `--only ID` lists each of a kind, `--long` each of all.

**error** blocks the device, **warning** does not. A check is run once for all devices that share the values that
it looks at, so a slip in the baseline is one line. "repair" says that there is a way out that is safe to take.
"""


def known_ids() -> frozenset[str]:
    """The ids of all findings that have one of their own."""
    return frozenset({c.id for c in CHECKS} | {id for ids, _ in _READING for id in ids.split(", ")})


def text() -> str:
    """The whole document."""
    parts = [_HEAD.format(count=len(CHECKS))]
    for title, checks in BY_SUBJECT.items():
        heading = title[:1].upper() + title[1:]
        parts.append(f"\n## {heading}\n\n| id | | what is wrong | looks at | after |\n|---|---|---|---|---|")
        parts += [_row(check) for check in checks]
    parts.append(
        "\n## Reading the files\n\nAll of these are errors; each points at the file, the line and the "
        "cell or key.\n\n| id | what is wrong |\n|---|---|"
    )
    parts += [f"| {ids} | {words} |" for ids, words in _READING]
    return "\n".join(parts) + "\n"


def _row(check: Check) -> str:
    what = " ".join(check.explanation.split()).replace("|", "\\|")
    looks = (
        ", ".join(name for name in SETTINGS if name in check.reads) if len(check.reads) < 12 else "settings of a role"
    )
    how = (check.severity.value) + (", repair" if check.repairs else "")
    return f"| `{check.id}` | {how} | {what} | {looks or 'the whole plan'} | {check.source} |"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(text(), "utf-8")
