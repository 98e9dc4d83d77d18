"""What a person decides at a difference: accept it with a reason, pass the setting over, or plan what is there."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from rich.text import Text

from zinger.errors import ZingerError
from zinger.plan.subjects.names.settings import HOSTNAME
from zinger.proof.asshown import as_shown
from zinger.proof.findings import Finding
from zinger.proof.outcome import title_of
from zinger.run.accepting import accepted
from zinger.run.steering import Manner, noted, passed_over
from zinger.store.entries import Happened, PersonActed
from zinger.tui.choosing import ChoiceDialog, LineDialog
from zinger.tui.dialogs import Dialog
from zinger.tui.look import GREEN, PAPER, ROSE

if TYPE_CHECKING:
    from zinger.tui.parts import ZingerScreen


RUN = "run: look, send what differs, save, prove, with a power cut"
PROVE = "prove only: read everything back, send nothing"
MANNER = {RUN: Manner(), PROVE: Manner(sends=False, power_cut=False)}
"""How a device is carried that is told to, by the words for it."""


def _made(screen: ZingerScreen, event: Callable[[], Happened]) -> Happened | None:
    """The event of a decision; None, and said why, where it can't be taken."""
    try:
        return event()
    except ZingerError as error:
        screen.notify(str(error), severity="warning")
        return None


def _write(screen: ZingerScreen, device: str, event: Callable[[], Happened], words: str) -> None:
    """Write a decision down, or say why it can't be."""
    made = _made(screen, event)
    if made is not None:
        screen.host.running.steer([(device, made)])
        screen.notify(words)


def accept(screen: ZingerScreen, device: str, setting: str) -> None:
    """Ask for the reason for which a difference or a debt is accepted."""
    job, taken = screen.host.job, screen.host.job.memories[device].taken
    # what can't be accepted is told before a reason is asked for
    if setting not in taken and _made(screen, lambda: accepted(job, device, setting, "why")) is None:
        return

    def typed(why: str | None) -> None:
        if why is not None:
            words = "accepted; a proves it again" if why.strip() else "not accepted any more"
            _write(screen, device, lambda: accepted(screen.host.job, device, setting, why), words)

    body = "Your reason goes into the papers. Without one it is not accepted any more."
    dialog = LineDialog(f"Why is {title_of(setting)} of {device} accepted?", body, taken.get(setting, ""))
    screen.app.push_screen(dialog, typed)


def after_your_hands(screen: ZingerScreen, device: str) -> None:
    """A person had the wire of a device that nobody works on: it is not proved any more; ask what comes next."""
    running = screen.host.running
    running.steer([(device, PersonActed("had the wire after its run"))])
    choices = [(words, words) for words in (PROVE, RUN, "leave it as it is, not proved since")]

    def chosen(words: str | None) -> None:
        if words in MANNER:
            running.set_off([device], MANNER[words])

    body = "What was proved before may be another by now."
    screen.app.push_screen(ChoiceDialog(f"You had the wire of {device}", choices, body), chosen)


def pass_over(screen: ZingerScreen, device: str, setting: str) -> None:
    """Do not send a setting from the next run on, or send it again."""
    job = screen.host.job
    back = setting in job.memories[device].passed_over
    words = "is sent again" if back else "is passed over from the next run on"
    _write(screen, device, lambda: passed_over(job, device, setting, back), f"{title_of(setting)} {words}")


def note(screen: ZingerScreen, device: str) -> None:
    """Ask for a note about a device."""

    def typed(text: str | None) -> None:
        if text is not None and text.strip():
            _write(screen, device, lambda: noted(text), f"note saved; the proof and the papers of {device} show it")

    body = "What you saw, or changed by hand; it goes into the papers."
    screen.app.push_screen(LineDialog(f"A note on {device}", body), typed)


def plan_as_shown(screen: ZingerScreen, device: str, found: Finding) -> None:
    """Change the plan to what the device shows, if that can be read as a value; shown before it is done."""
    job = screen.host.job
    planned = job.plan.device(device)
    text = as_shown(planned, job.books[planned.family], found)
    if text is None:
        screen.notify(f"Zinger can't tell which value shows as {found.read!r}; e on the line-up edits the plan")
        return
    body = Text(f"{found.title} of {device}, in its own row of the sheet\n\n", PAPER)
    body.append(f"  - {found.planned}\n", ROSE).append(f"  + {text}\n", GREEN)
    if found.setting == HOSTNAME.name:
        body.append("\nWhat names it in the sheet follows, and its passwords and recordings go with it.\n", PAPER)

    def answer(yes: bool | None) -> None:
        if yes:
            screen.host.plan_value(device, found.setting, text)

    screen.app.push_screen(Dialog("Plan what the device shows?", body, "plan it", "leave it"), answer)
