"""What screens ask of the application that shows them, and no more; so a screen knows no other screen.

`ZingerApp` is the one host. A protocol was chosen over importing the application: that import made a circle of every
screen with the application that opens it.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from zinger.desk.incoming import Incoming
    from zinger.phrasebook.terminal import Terminal
    from zinger.run.board import DeviceLine
    from zinger.run.openjob import OpenJob
    from zinger.tui.running import RunControl


class Host(Protocol):
    """The application, as screens see it."""

    job: OpenJob
    running: RunControl
    """The run of the open job, begun or not."""

    @property
    def has_job(self) -> bool:
        """Whether a job is open; only then is there a `job`."""

    def terminal(self, line: DeviceLine | None) -> Terminal | None:
        """How a device's terminal looks: what is a log line there, and what a refusal."""

    def open_wire(self, device: str) -> None:
        """Open a device's wire, or its family's factory card where there is no wire."""

    def open_proof(self, device: str) -> None:
        """Open a device's proof."""

    def open_preview(self, device: str) -> None:
        """Open the preview of what will be sent."""

    def open_credentials(self, device: str = "") -> None:
        """Open the accounts and passwords, at a device's."""

    def open_card(self, family: str) -> None:
        """Open a family's factory card."""

    def open_import(self, incoming: Incoming | None = None) -> None:
        """Bring a sheet in: into the open job, or a new one."""

    def open_job(self, path: Path) -> None:
        """Open a job in place of what is shown."""

    def standing(self, path: Path) -> dict[str, int]:
        """How many devices of an open job stand how; nothing for one that is not open."""

    def open_demo(self) -> None:
        """Open a fresh demo job."""

    def arrived(self, folder: Path, words: list[str]) -> None:
        """A sheet was taken into a job: open it and show its plan."""

    def plan_value(self, device: str, setting: str, text: str) -> None:
        """Another value in a device's own row of the sheet, saved at once."""

    def tell(self, title: str, text: str) -> None:
        """Show a message that stays until it was read."""

    def open_bare_wire(self, device: str, find_speed: bool = False) -> None:
        """Open the wire of a device that no phrasebook speaks to, in the place of this screen until it is left."""

    def swap_box(self, device: str, numbers: Mapping[str, str]) -> None:
        """Another box, by serial number and MAC, in a device's place: into the sheet, out of the journal's belief."""

    def keep_secret(self, entry: str, secret: str) -> None:
        """Put a password into the vault, and have it masked from now on. Raises ZingerError."""

    def plan_changed(self) -> None:
        """The plan's files were saved."""
