"""What a person can do with one device, or with several, from the line-up: one dialog with what is possible now."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from zinger.run.board import DeviceLine, Mark
from zinger.run.steering import ASIDE, Manner, aside, set_by_hand
from zinger.store.entries import Happened
from zinger.tui.choosing import ChoiceDialog, LineDialog
from zinger.tui.decide import MANNER, PROVE, RUN, note, pass_over
from zinger.wording import counted, short

if TYPE_CHECKING:
    from zinger.tui.parts import ZingerScreen

Deed = Callable[[], None]
SPEED = "?speed"
"""What stands for finding the speed among settings, of which none is called so."""


def steer(screen: ZingerScreen, names: Sequence[str], done: Deed) -> None:
    """Ask what is to be done with these devices, and do it; `done` is called then."""

    def chosen(deed: Deed | None) -> None:
        if deed is not None:
            deed()
            done()

    title = names[0] if len(names) == 1 else counted(len(names), "device")
    lines = screen.host.job.board.lines
    body = _standing(lines[names[0]]) if len(names) == 1 else ", ".join(names)
    screen.app.push_screen(ChoiceDialog(title, deeds(screen, names), body), chosen)


def deeds(screen: ZingerScreen, names: Sequence[str]) -> list[tuple[Deed, str]]:
    """What can be done now, and its words; what is likeliest comes first."""
    host = screen.host
    running, job = host.running, host.job
    busy = [name for name in names if job.board.lines[name].active]
    idle = [name for name in names if name not in busy]
    out = [name for name in names if job.memories[name].aside]

    def all_of(whom: Sequence[str], manner: Manner) -> Deed:
        return lambda: running.set_off(whom, manner)

    def each(whom: Sequence[str], event: Happened) -> Deed:
        return lambda: running.steer([(name, event) for name in whom])

    found: list[tuple[Deed, str]] = []
    if len(names) == 1 and job.board.lines[names[0]].mood is Mark.NEEDS_YOU:
        found += [
            (lambda: running.resume(names[0]), "try again: look where it is, and go on"),
            (lambda: host.open_wire(names[0]), "open its wire, and take it there (F2)"),
            (lambda: host.open_credentials(names[0]), "its passwords: type in the one that it takes"),
            (
                lambda: host.open_card(job.plan.device(names[0]).family),
                "its factory card: lights, buttons, first sign-in",
            ),
        ]
    if busy:
        found.append((lambda: running.halt(busy), f"stop {_them(busy, names)} where it is"))
    if idle and not out:
        found += [
            (all_of(idle, MANNER[RUN]), RUN),
            (all_of(idle, Manner(power_cut=False)), "run without a power cut"),
            (all_of(idle, Manner(power_cut=False, restart=True)), "run with a restart in the place of a power cut"),
            (
                all_of(idle, Manner(only_saves=True, power_cut=False)),
                "from saving on: send no setting, save and read back",
            ),
            (all_of(idle, MANNER[PROVE]), PROVE),
            (all_of(idle, Manner(sends=False)), "prove only, with a power cut"),
        ]
    if out:
        found.append((each(out, aside("")), "here again: take part in runs"))
    found += [(each(names, aside(why)), f"{why}: leave it out of runs") for why in ASIDE if not out]
    if len(names) == 1:
        found += [
            (lambda: _pass_over(screen, names[0]), "pass over a setting, or take that back"),
            (lambda: note(screen, names[0]), "write a note, which goes into the papers"),
            *([(lambda: _swap(screen, names[0]), "swap the box: another one came out of the carton")] if idle else []),
        ]
    return found


def _standing(line: DeviceLine) -> str:
    """What a device says, for how long it has waited, what it shows, and by which places it came there."""
    if line.mood is not Mark.NEEDS_YOU:
        return line.sentence
    told = [line.sentence]
    if line.active or line.ended is not None:
        told[0] = told[0].removesuffix(".") + f", for {short(time.time() - line.waits_since)}"
    shown = [row.strip() for row in line.shown.splitlines() if row.strip()]
    told += ["", "It shows:", *(f"  {row[:90]}" for row in shown[-4:])] if shown else []
    if line.trail:
        told += ["", f"Tried: came by {', '.join(place.replace('_', ' ') for place in line.trail[-6:])}"]
    refused = [f"  {row.title}: {row.note}" for row in line.steps if row.note and row.mark is Mark.DIFFERS]
    return "\n".join([*told, *(["Refused:", *refused[:4]] if refused else [])])


def _them(some: Sequence[str], names: Sequence[str]) -> str:
    return "it" if len(names) == 1 else counted(len(some), "device")


def _swap(screen: ZingerScreen, name: str) -> None:
    """Ask for the numbers on the new box."""

    from zinger.desk.editing import Desk

    def numbers(text: str) -> dict[str, str]:
        serial, _, mac = text.strip().partition(" ")
        return {"serial": serial, **({"mac": mac.strip()} if mac else {})}

    def wrong(text: str) -> str:
        serial = numbers(text)["serial"]
        owner = next((d.name for d in screen.host.job.plan.devices if serial and d.serial == serial), "")
        if owner:
            return f"{serial} is planned as {owner} already. Read the label of the new box."
        return next((why for what, cell in numbers(text).items() if (why := Desk.refusal(what, cell))), "")

    def typed(text: str | None) -> None:
        if text and text.strip():
            screen.host.swap_box(name, numbers(text))

    body = "Its serial number, and its MAC behind it if it has one. What was known of the one before counts no more."
    dialog = LineDialog(f"Another box for {name}", body, placeholder="QS2-0499 02-4b-56-10-33-09", wrong=wrong)
    screen.app.push_screen(dialog, typed)


def _pass_over(screen: ZingerScreen, name: str) -> None:
    """Ask which setting is not to be sent."""
    job = screen.host.job
    passed = job.memories[name].passed_over
    steps = [step for step in job.scripts[name].steps if step.setting and not step.interview]
    choices = [(step.setting, f"{step.title}{'   passed over; again: send it' if step.setting in passed else ''}")
               for step in steps]  # fmt: skip

    def chosen(setting: str | None) -> None:
        if setting is not None:
            pass_over(screen, name, setting)

    body = "It is not sent; what the device has is still read back and compared."
    screen.app.push_screen(ChoiceDialog(f"Which setting of {name}?", choices, body), chosen)


def steer_by_hand(screen: ZingerScreen, name: str) -> None:
    """What can be done with a device that no phrasebook speaks to: set it by hand, and say what was set."""
    job = screen.host.job
    if name not in job.unspoken:
        return
    done = job.unspoken[name].by_hand
    console = job.plan.device(name).console
    choices: list[tuple[str, str]] = [("", "open its wire: typing goes to it, all is recorded")]
    if console.startswith("serial://") and "?" not in console:
        choices.append((SPEED, "find its speed and framing first, then open its wire; may press Enter"))
    for setting, value in job.plan.device(name).values.items():
        tick = "[x]" if done.get(setting) == value.shown else "[ ]"
        choices.append((setting, f"{tick} {value.setting.title}  {value.shown}"))

    def chosen(setting: str | None) -> None:
        if setting in ("", SPEED):
            screen.host.open_bare_wire(name, find_speed=setting == SPEED)
        elif setting is not None:
            ticked = done.get(setting) == job.plan.device(name).values[setting].shown
            screen.host.running.steer([(name, set_by_hand(job, name, setting, back=ticked))])
            screen.set_timer(0.3, lambda: steer_by_hand(screen, name))

    body = "No phrasebook speaks to it. What you tick off goes into the papers as set by hand, never as proved."
    screen.app.push_screen(ChoiceDialog(name, choices, body), chosen)
