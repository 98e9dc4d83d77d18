"""`zinger accept-terms`: terms of use that devices want agreed to, read and accepted once for a job."""

from __future__ import annotations

from typing import Annotated

import typer

from zinger.cli.common import DONE, FINDINGS, CommandError, JobArg

Yes = Annotated[bool, typer.Option("--yes", help="accept them without being asked")]


def accept_terms(
    job: JobArg,
    family: Annotated[str, typer.Argument(help="a family of the job, such as hollin-e3", metavar="FAMILY")] = "",
    yes: Yes = False,
) -> None:
    """Show what terms of use were met in this job, and accept those of a family: what it shows, or will show."""
    import asyncio

    from zinger.run.terms import accepted_in, any_text_of, known_texts
    from zinger.store.folder import JobFolder
    from zinger.store.journal import Journal
    from zinger.store.openplan import OpenPlan

    folder = JobFolder(job)
    families = {device.family for device in OpenPlan(folder).plan.devices}
    journal = Journal(folder.journal)
    try:
        texts, accepted = known_texts(folder.records), accepted_in(journal)
        if not family:
            _list(texts, accepted)
            return
        if family not in families:
            raise CommandError(f"no device of the job is a {family}; it has {', '.join(sorted(families))}")
        for (of, _), text in texts.items():
            if of == family:
                print(f"{text}\n")
        question = f"Do you accept the terms of use of {family}, for this job?"
        if not any(of == family for of, _ in texts):
            question = f"{family} has shown no terms yet. Accept what it will show, unread, for this job?"
        if not yes and not typer.confirm(question, default=False):
            print("nothing was accepted")
            raise typer.Exit(FINDINGS)
        asyncio.run(any_text_of(journal, family))
    finally:
        journal.close()
    print(f"the terms of {family} are accepted for this job")
    raise typer.Exit(DONE)


def _list(texts: dict[tuple[str, str], str], accepted: set[tuple[str, str]]) -> None:
    for family, digest in texts:
        said = "accepted" if {(family, digest), (family, "any")} & accepted else "open"
        print(f"{said:<9} {family:<14} terms-{family}-{digest}.txt")
    for family, digest in sorted(accepted):
        if digest == "any":
            print(f"{'accepted':<9} {family:<14} whatever it shows")
    if not texts and not accepted:
        print("no device of this job has shown terms of use yet")
