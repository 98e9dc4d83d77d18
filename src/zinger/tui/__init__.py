"""The screens: Textual over the run room and the pure rooms; nobody imports them but the command line."""

from zinger.tui.app import ZingerApp, show

__all__ = ["ZingerApp", "show"]
