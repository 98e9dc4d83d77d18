"""`zinger hands`: what a run in another terminal waits for, and the word that it is done."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import TYPE_CHECKING, Annotated, NamedTuple

import typer

from zinger.cli.common import CommandError, JobArg, Json, print_json

if TYPE_CHECKING:
    from zinger.store.entries import HandsAsked
    from zinger.store.folder import JobFolder
    from zinger.store.journal import Journal

DoneAhead = Annotated[
    bool, typer.Option("--hands-done", help="cables are plugged in, and this laptop has its addresses, already")
]
WaitForHands = Annotated[
    str,
    typer.Option(
        "--wait-for-hands", metavar="TIME", help="wait for hands without a screen, such as 10 min; see `zinger hands`"
    ),
]


def hands_within(text: str) -> float:
    """Seconds that hands are waited for without a screen; 0 where nothing was said. Raises CommandError."""
    from zinger.plan.values.bad import BadValue
    from zinger.plan.values.durations import seconds_of

    try:
        return float(seconds_of(text)) if text else 0.0
    except BadValue as error:
        raise CommandError(f"--wait-for-hands: {error.what}. {error.repair}") from None


class Waiting(NamedTuple):
    """An act that a run waits for, with its subject, since when (seconds since 1970)."""

    asked: HandsAsked
    subject: str
    since: float


def hands(
    job: JobArg,
    done: Annotated[list[str] | None, typer.Option("--done", metavar="N", help="act N is done, or `all`")] = None,
    cannot: Annotated[list[str] | None, typer.Option("--cannot", metavar="N", help="act N can't be done")] = None,
    why: Annotated[str, typer.Option("--why", metavar="TEXT", help="why it can't; the papers tell it")] = "",
    as_json: Json = False,
) -> None:
    """List what a run of this job waits for that only hands can do; say that an act is done, or can't be."""
    import asyncio

    from zinger.store.folder import JobFolder
    from zinger.store.journal import Journal

    folder = JobFolder(job)
    if not folder.is_at_work or not folder.journal.exists():
        raise CommandError("no run of this job is going on, so nothing waits for hands")
    journal = Journal(folder.journal)
    try:
        waiting = _waiting(journal)
        chosen, refused = _chosen(waiting, done or [], "--done"), _chosen(waiting, cannot or [], "--cannot")
        if both := [str(act.asked.number) for act in chosen if act in refused]:
            raise CommandError(f"act {', '.join(both)} is said to be done, and that it can't be; say one of them")
        for act in chosen if not _is_practice(journal) else ():
            _type_in(folder, act)
        asyncio.run(_answer(journal, [*((act, None) for act in chosen), *((act, why) for act in refused)]))
    finally:
        journal.close()
    if as_json:
        print_json(
            [
                {
                    "number": w.asked.number,
                    "verb": w.asked.verb,
                    "subject": w.subject,
                    "do": w.asked.do,
                    "why": w.asked.why,
                    "see": w.asked.see,
                    "since": w.since,
                    "until": w.asked.until,
                }
                for w in waiting
            ]
        )
        return
    for act in waiting:
        since = f"since {time.strftime('%H:%M:%S', time.localtime(act.since))}"
        said = "done" if act in chosen else "can't be done" if act in refused else since
        asked = act.asked
        see = f"; then: {asked.see}" if asked.see else ""
        left = f"; {max(0, round(asked.until - time.time()))} s left" if asked.until else ""
        print(f"{act.asked.number:>3}  {asked.do}{see}  ({asked.why}; {said}{left})")
    if not waiting:
        print("nothing waits for hands")


def _waiting(journal: Journal) -> list[Waiting]:
    """What was asked for in the present run and is not done; in the order in which it was asked for."""
    from zinger.store import entries

    waiting: dict[tuple[str, str], Waiting] = {}
    for entry in journal.entries():
        event = entries.read(entry)
        if isinstance(event, entries.RunBegan) and not entry.device:
            waiting.clear()
        elif isinstance(event, entries.HandsAsked):
            number = event.number or max((w.asked.number for w in waiting.values()), default=0) + 1
            waiting[event.verb, entry.device] = Waiting(replace(event, number=number), entry.device, entry.at)
        elif isinstance(event, entries.HandsDone | entries.HandsAnswered | entries.HandsWithdrawn):
            waiting.pop((event.verb, entry.device), None)
    return list(waiting.values())


def _is_practice(journal: Journal) -> bool:
    """Whether the present run is over simulated devices: what their labels say, the yard itself reads."""
    from zinger.store import entries

    began = [event for entry in journal.entries("") if isinstance(event := entries.read(entry), entries.RunBegan)]
    return bool(began) and began[-1].practice


def _chosen(waiting: list[Waiting], done: list[str], option: str) -> list[Waiting]:
    if "all" in done:
        return waiting
    numbered = {str(w.asked.number): w for w in waiting}
    for text in done:
        if text not in numbered:
            known = f"there are {', '.join(numbered)}, or all" if waiting else "nothing waits for hands"
            raise CommandError(f"{option} {text}: there is no such act; {known}")
    return [numbered[text] for text in done]


def _type_in(folder: JobFolder, act: Waiting) -> None:
    """Have the password typed that an act is about, without an echo; a pipe gives it as its first line."""
    import sys

    from zinger.plan.values.secrets import SecretRef
    from zinger.store.vault import Vault

    entry, vault = SecretRef(act.asked.entry), Vault(folder.vault)
    if not act.asked.entry or entry in vault:
        return
    asked = f"{act.asked.do} (not shown)"
    secret = typer.prompt(asked, hide_input=True) if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    if not secret:
        raise CommandError(f"{act.asked.do}: nothing was typed")
    vault.put({entry: secret})


async def _answer(journal: Journal, answers: list[tuple[Waiting, str | None]]) -> None:
    """Say of each act that it is done, or why it can't be."""
    from zinger.store import entries

    for act, cannot in answers:
        kind, data = entries.written(entries.HandsAnswered(act.asked.verb, cannot))
        await journal.write(kind, act.subject, **data)
