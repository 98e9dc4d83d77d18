"""`zinger handover`: the papers and exports of a job, or of a part of it."""

from __future__ import annotations

import datetime
import sys
from typing import Annotated

import typer

from zinger.cli.common import CommandError, JobArg, Json, open_job, print_json, write_handover

DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")


def day_of(text: str, today: datetime.date | None = None) -> datetime.date:
    """A day: `2026-11-27`, `today`, `yesterday`, or a weekday, which is the last one that was. Raises CommandError."""
    today, word = today or datetime.date.today(), text.strip().lower()
    if word in ("today", "yesterday"):
        return today - datetime.timedelta(days=word == "yesterday")
    weekday = next((number for number, day in enumerate(DAYS) if len(word) >= 2 and day.startswith(word)), None)
    if weekday is not None:
        return today - datetime.timedelta(days=(today.weekday() - weekday) % 7)
    try:
        return datetime.date.fromisoformat(word)
    except ValueError:
        raise CommandError(f"--since {text}: write a day like 2026-11-27, monday or yesterday") from None


def handover(
    job: JobArg,
    site: Annotated[
        list[str] | None, typer.Option("--site", metavar="SITE", help="only this site; again for more")
    ] = None,
    since: Annotated[str, typer.Option(metavar="DAY", help="what happened since: 2026-11-27, monday")] = "",
    labels: Annotated[str, typer.Option(metavar="SIZE", help="labels of this size in mm, such as 70x36")] = "70x36",
    used_labels: Annotated[
        int, typer.Option(metavar="N", min=0, help="labels of the first sheet that are used up")
    ] = 0,
    show: Annotated[
        str, typer.Option("--print", metavar="NAME", help="print one text, such as mail.txt or hosts")
    ] = "",
    as_json: Json = False,
) -> None:
    """Write the papers: drawings, port maps, proof sheet, labels, timeline, and exports for other programs."""
    from zinger.handover.papers import Part, papers_of

    opened = open_job(job)
    known = {name.lower() for s in opened.plan.sites for name in (s.key, s.name)}
    if strange := [name for name in site or [] if name.lower() not in known]:
        raise CommandError(f"the job has no site {strange[0]}; it has {', '.join(s.name for s in opened.plan.sites)}")
    part = Part(tuple(site or ()), day_of(since) if since else None, labels, used_labels)
    if not show:
        written = write_handover(opened, quiet=as_json, part=part)
        if as_json:
            print_json([str(path) for path in written])
        return
    papers = papers_of(opened.folder, opened.plan, opened.scripts, opened.books, part).all()
    texts = {
        name.removeprefix("exports/"): data for name, data in papers.items() if not name.endswith((".pdf", ".xlsx"))
    }
    if show not in texts:
        raise CommandError(f"--print {show}: there is no such text; there are {', '.join(texts)}")
    sys.stdout.write(texts[show].decode())
