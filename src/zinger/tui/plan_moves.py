"""What is done to whole devices and between layers on the Plan screen: copied, removed, compared, lifted, dropped."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from rich.text import Text

from zinger.desk.editing import Desk, Move
from zinger.plan.model import Device, Plan
from zinger.plan.settings import SETTINGS
from zinger.plan.values.bad import BadValue
from zinger.tui.choosing import ChoiceDialog, LineDialog
from zinger.tui.comparing import CompareScreen
from zinger.tui.dialogs import Dialog
from zinger.tui.look import DIM, PAPER
from zinger.tui.parts import ZingerScreen
from zinger.wording import counted

MOST_COPIES = 500


class PlanMoves:
    """Asks, and does it at the desk; `changed` is called when the plan is another one afterwards."""

    def __init__(self, screen: ZingerScreen, desk: Desk, changed: Callable[[], None]) -> None:
        self._screen, self._desk, self._changed = screen, desk, changed

    def move(self, device: Device, setting: str) -> None:
        """Say a device's own value for its role, its site or all; or drop it for what they say."""
        moves = self._desk.moves(device, setting)
        if not moves:
            self._screen.notify("only a value of the sheet can be moved: it is not the device's own")
            return
        value = device.values[setting]
        body = f"{device.name} says {value.shown}, and wins, since the device's own row is the strongest layer."
        body += "".join(f"\n{origin.label} says {value.setting.show(was)}." for was, origin in value.overrode)

        def chosen(move: Move | None) -> None:
            if move is not None:
                self._desk.make(move.changes, f"{SETTINGS[setting].title}: {move.words}")
                self._changed()

        choices = [(move, move.words) for move in moves]
        self._screen.app.push_screen(ChoiceDialog(f"Where is {value.setting.title} said?", choices, body), chosen)

    def copy(self, device: Device) -> None:
        """So many devices like one."""

        def typed(text: str | None) -> None:
            if text is None:
                return
            if not text.strip().isdigit() or not 1 <= int(text) <= MOST_COPIES:
                self._screen.notify(f"write a number from 1 to {MOST_COPIES}")
                return
            rows = self._desk.copy(device, int(text))
            self._screen.notify(f"{counted(len(rows), 'device')} like {device.name}; u takes them back")
            self._changed()

        body = "Names count on, addresses are the next free ones; serial number, MAC and label stay empty."
        self._screen.app.push_screen(LineDialog(f"How many devices like {device.name}?", body, "1"), typed)

    def as_role(self, device: Device) -> None:
        """Save what a device's row says as a role, which the next devices can have."""

        def typed(role: str | None) -> None:
            if role is None:
                return
            try:
                changes = self._desk.as_role(device, role)
            except BadValue as error:
                self._screen.notify(str(error), severity="warning")
                return
            self._desk.make(changes, f"role {role} as {device.name} says")
            self._screen.notify(f"role {role} says it now; u takes it back, j shows it")
            self._changed()

        body = "What its row says is said by the role, and no more by the row; addresses, names and numbers stay there."
        dialog = LineDialog(f"Which role says what {device.name} says?", body, device.role)
        self._screen.app.push_screen(dialog, typed)

    def remove(self, devices: Sequence[Device]) -> None:
        """Take devices out of the sheet."""
        body = Text()
        for device in devices[:10]:
            body.append(f"  {device.name:<20} {device.family} {device.serial}\n", PAPER)
        if len(devices) > 10:
            body.append(f"  and {len(devices) - 10} more\n", PAPER)
        body.append("\nWhat the journal and the vault know of them stays. u takes it back.", DIM)

        def answer(yes: bool | None) -> None:
            if yes:
                self._desk.remove(devices)
                self._changed()

        title = f"Remove {counted(len(devices), 'device')} from the plan?"
        self._screen.app.push_screen(Dialog(title, body, "remove", "keep"), answer)

    def compare(self, devices: Sequence[Device], plan: Plan) -> None:
        """Two selected devices beside each other; or the one under the cursor and another that is chosen."""
        if len(devices) == 2:
            self._screen.app.push_screen(CompareScreen(*devices))
            return
        one = devices[0]
        others = [d for d in plan.devices if d is not one]
        others.sort(key=lambda d: (d.family != one.family, d.role != one.role))

        def chosen(other: Device | None) -> None:
            if other is not None:
                self._screen.app.push_screen(CompareScreen(one, other))

        choices = [(d, f"{d.name:<24} {d.family} · {d.role} · {d.site.name}") for d in others]
        self._screen.app.push_screen(ChoiceDialog(f"Compare {one.name} with which device?", choices), chosen)
