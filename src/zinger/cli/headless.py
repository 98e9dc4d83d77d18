"""Runs without a screen: plain lines while it goes, findings at the end, JSON where a program reads it."""

from __future__ import annotations

import asyncio
import json
import signal
import sys
import time
from collections.abc import Callable
from enum import Enum
from typing import Any, TextIO

from zinger.cli.common import DONE, FINDINGS, PERSON
from zinger.desk.jobs import remember_job
from zinger.proof.outcome import but_for
from zinger.run.board import DeviceLine, Mark
from zinger.run.laterchange import still_let_in
from zinger.run.memory import Memory
from zinger.run.openjob import OpenJob
from zinger.run.options import Options
from zinger.run.run import Run
from zinger.store.entries import Entry
from zinger.store.journal import Journal

WATCH_EVERY = 0.1


class Printed(Enum):
    """What is printed on the standard output; all else goes to the other one."""

    TEXT = "sentences"
    JSON = "one document at the end"
    LINES = "an event a line, the summary as the last"

    @classmethod
    def wanted(cls, as_json: bool, as_lines: bool = False) -> Printed:
        """As the options say."""
        if as_lines:
            return cls.LINES
        return cls.JSON if as_json else cls.TEXT


def carry_out(
    job: OpenJob,
    options: Options,
    printed: Printed,
    keep_yard: bool = False,
    afterwards: Callable[[], object] = lambda: None,
    tell: Callable[[Entry], None] | None = None,
) -> int:
    """Run the job to its end without a screen; returns the exit code.

    `afterwards` is called when all devices are left and the findings are printed, before the count; `tell` with every
    entry of the journal, as it is written.
    """
    run = Run(job, options)
    interrupted = asyncio.run(_carry_out(run, printed, keep_yard, tell))
    remember_job(job.folder.path, len(job.plan.devices), job.board.counts())
    if printed is Printed.TEXT:
        print_findings(run)
    if not interrupted:
        afterwards()
    return conclude(run, printed)


async def _carry_out(run: Run, printed: Printed, keep_yard: bool, tell: Callable[[Entry], None] | None = None) -> bool:
    """Carry all devices; returns whether it was interrupted by a signal."""
    out = sys.stdout if printed is Printed.TEXT else sys.stderr
    interrupted, went_wrong = asyncio.Event(), True
    telling = _Telling(tell) if tell is not None else None
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        loop.add_signal_handler(number, interrupted.set)
    going = asyncio.create_task(telling.goes_on(run)) if telling is not None else None
    try:
        await run.start()
        for news in run.news:
            print(news, file=out, flush=True)
        await _watch(run, out, interrupted)
        failed = [t for t in run.tasks.values() if t.done() and not t.cancelled() and t.exception()]
        if failed:
            raise failed[0].exception()  # type: ignore[misc]
        went_wrong = False
    finally:
        states = {name: c.state_in_words() for name, c in run.carriers.items()}
        if telling is not None and going is not None:
            telling.ends = True
            await asyncio.gather(going, return_exceptions=True)
        try:
            await run.stop(end_yard=not keep_yard)
            if telling is not None:
                telling.the_rest(run)
        finally:
            if interrupted.is_set() or (went_wrong and states):
                print("stopped; run it again to go on", file=out)
                for name, state in states.items():
                    print(f"  {name}: {state}", file=out)
    return interrupted.is_set()


class _Telling:
    """Tells every entry of the journal that is written while a run goes on, and at its end what came last."""

    def __init__(self, tell: Callable[[Entry], None]) -> None:
        self._tell, self._last = tell, -1
        self.ends = False
        """Whether it is to end: not in the middle of telling, else the rest would be told twice."""

    async def goes_on(self, run: Run) -> None:
        """Until it is to end."""
        while not self.ends:
            if run.journal is not None:
                await asyncio.to_thread(self._news, run.journal)
            await asyncio.sleep(WATCH_EVERY)

    def the_rest(self, run: Run) -> None:
        """The run has ended: its journal is whole on disk."""
        journal = Journal(run.job.folder.journal)
        try:
            self._news(journal)
        finally:
            journal.close()

    def _news(self, journal: Journal) -> None:
        self._last = journal.last() if self._last < 0 else self._last
        for entry in journal.read_after(self._last):
            self._last = entry.id
            self._tell(entry)


async def _watch(run: Run, out: TextIO, interrupted: asyncio.Event) -> None:
    """Print each device's sentence when it changes, until all are finished."""
    shown: dict[str, str] = {}
    waiting = asyncio.gather(*run.tasks.values(), return_exceptions=True)
    while True:
        for name in run.carriers:
            sentence = run.job.board.lines[name].sentence
            if shown.get(name) != sentence:
                shown[name] = sentence
                print(f"{time.strftime('%H:%M:%S')}  {name:<16} {sentence}", file=out, flush=True)
        if waiting.done() or interrupted.is_set():
            waiting.cancel()
            return
        await asyncio.sleep(WATCH_EVERY)


def conclude(run: Run, printed: Printed) -> int:
    """Print the count, as text or with everything else as JSON; returns the exit code that it means."""
    lines = {name: run.job.board.lines[name] for name in run.carriers}
    proved = run.proved()
    configured = sum(line.mood is Mark.CONFIGURED for line in lines.values())
    accepted = sum(bool(run.job.memories[name].outcome.accepted) for name in proved)
    also = but_for(accepted) + (f", {configured} configured" if configured else "")
    if printed is Printed.LINES:
        print(json.dumps({"event": "summary", **summary(run)}))
    elif printed is Printed.JSON:
        print(json.dumps(summary(run), indent=1))
    else:
        print(f"{len(proved)} of {len(lines)} devices proved{also}")
    if any(line.mood is Mark.NEEDS_YOU for line in lines.values()):
        return PERSON
    return DONE if len(proved) == len(lines) else FINDINGS


def print_findings(run: Run) -> None:
    """Print, for each device, how it stands and every finding that does not hold."""
    for name in run.carriers:
        _print_line(name, run.job.board.lines[name], run.job.memories[name])


def _print_line(name: str, line: DeviceLine, memory: Memory) -> None:
    holds = [f for f in line.findings.values() if f.holds]
    print(f"\n{name}: {line.sentence}")
    print(f"  {len(holds)} of {len(line.findings)} findings hold")
    if line.mood is Mark.NEEDS_YOU and line.shown:
        print(f"  it shows: {line.shown!r}")
    for finding in line.differing:
        print(
            f"  {finding.verdict.value:<11}{finding.title} ({finding.source.value}): "
            f"planned {finding.planned}, read {finding.read or 'nothing'}"
        )
        for evidence in finding.evidence.splitlines():
            print(f"             | {evidence}")
    if line.outcome is None:
        for setting, words in memory.refused.items():
            print(f"  refused    {setting}: {words}")
    else:
        for debt in line.outcome.owed:
            print(f"  owed       {debt.setting}: {debt.lacking.value}: {debt.why}")
        for setting, why in line.outcome.accepted:
            print(f"  accepted   {setting}: {why}")
    for known in still_let_in(line.device, memory):
        print(f"  known      {known}")
    for left_out in line.script.not_sent:
        if not left_out.owed:
            print(f"  left out   {left_out.setting}: {left_out.why}")


def summary(run: Run) -> dict[str, Any]:
    """The outcome as JSON-able data."""
    proved = run.proved()
    return {
        "job": run.job.plan.title,
        "folder": str(run.job.folder.path),
        "proved": len(proved),
        "of": len(run.carriers),
        "devices": [
            {
                "device": name,
                "proved": name in proved,
                "state": line.sentence,
                "needs_you": line.mood is Mark.NEEDS_YOU,
                "owed": [
                    {"setting": debt.setting, "lacking": debt.lacking.value, "why": debt.why}
                    for debt in (line.outcome.owed if line.outcome else ())
                ],
                "accepted": dict(line.outcome.accepted) if line.outcome else {},
                "shown": line.shown,
                "findings": [
                    {
                        "setting": f.setting,
                        "source": f.source.value,
                        "planned": f.planned,
                        "read": f.read,
                        "evidence": f.evidence,
                        "verdict": f.verdict.value,
                    }
                    for f in line.findings.values()
                ],
                "not_sent": [{"setting": u.setting, "why": u.why} for u in line.script.not_sent],
            }
            for name, line in ((n, run.job.board.lines[n]) for n in run.carriers)
        ],
    }
