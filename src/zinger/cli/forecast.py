"""`zinger forecast`: when the bench would be done, who waits for what, and what one more of something would save."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Annotated

import typer

from zinger.cli.common import CommandError, JobArg, Json, open_job, print_json

if TYPE_CHECKING:
    from zinger.run.openjob import OpenJob


def forecast(
    job: JobArg,
    back: Annotated[bool, typer.Option("--back", help="the last run, against what it could have been")] = False,
    everything: Annotated[bool, typer.Option("--all", help="as if nothing were done yet")] = False,
    as_json: Json = False,
) -> None:
    """Forecast what a run of this job would take, from how long its families took before."""
    from zinger.run.outlook import awaited, bench_of
    from zinger.run.practice import yard_settings
    from zinger.run.steering import not_done
    from zinger.schedule.outlook import foresee
    from zinger.wording import counted, short

    opened = open_job(job)
    if back:
        _look_back(opened, as_json)
        return
    names = list(opened.board.lines) if everything else not_done(opened)
    pace = float(yard_settings(opened.folder).get("pace", 20)) if opened.board.practice else None
    outlook = foresee(bench_of(opened, names, pace=pace), time.time())
    found = outlook.forecast
    if as_json:
        waits = [wait._asdict() for wait in found.waits]
        savings = [{"claim": s.title, "seconds": round(s.seconds, 1)} for s in outlook.savings]
        print_json({"seconds": round(found.end, 1), "at_least": round(outlook.bench.at_least, 1), "order": found.order,
                    "ends": found.ends, "waits": waits, "savings": savings, "stuck": found.stuck})  # fmt: skip
        return
    if not names:
        print("nothing is left to do")
        return
    least = short(outlook.bench.at_least)
    print(f"{counted(len(names), 'device')} in about {short(found.end)}; no order could take less than {least}\n")
    for name in found.order:
        mine = [wait for wait in found.waits if wait.device == name]
        mine.sort(key=lambda wait: wait.since - wait.until)
        why = f"waits {short(mine[0].until - mine[0].since)} for {awaited(mine[0])}" if mine else ""
        print(f"{name:<20} {short(found.ends.get(name, 0)):>8}  {why}")
    for saving in outlook.savings:
        print(f"\nOne more {saving.title} would save about {short(saving.seconds)}.")
    if found.stuck:
        print(f"\nThese wait for each other for ever: {', '.join(found.stuck)}. Look at their plan.")


def _look_back(opened: OpenJob, as_json: bool) -> None:
    from zinger.run.lookback import look_back
    from zinger.wording import short

    found = look_back(opened)
    if found is None:
        raise CommandError("nothing was run yet")
    if as_json:
        print_json({"devices": found.devices, "took": round(found.took, 1), "slowest": round(found.slowest, 1),
                    "slowest_of": found.slowest_of, "forced": round(found.forced, 1),
                    "ratio": round(found.ratio, 3)})  # fmt: skip
        return
    print(f"{found.devices} devices took {short(found.took)}.")
    print(f"The slowest alone, {found.slowest_of}, took {short(found.slowest)}.")
    print(
        f"What there is one of (cables, factory addresses, hands) forces {short(found.forced)} in the best order known."
    )
    print(f"The run took {found.ratio:.2f} of that.")
