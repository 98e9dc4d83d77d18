"""A program in a real terminal: keys in by tmux, the screen read back as a person sees it."""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import time
from pathlib import Path

ZINGER = [sys.executable, "-m", "zinger.cli"]


class Terminal:
    """A program in a tmux session of its own."""

    def __init__(self, name: str, folder: Path, *args: str, columns: int = 142, rows: int = 44) -> None:
        self.tmux = ["tmux", "-L", name, "-f", "/dev/null"]
        keys = ("ZINGER_IDENTITY", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "HOME")
        env = " ".join(f"{key}={shlex.quote(os.environ[key])}" for key in keys)
        program = f"env -u COLUMNS -u LINES {env} COLORTERM=truecolor {shlex.join([*ZINGER, *args])}"
        command = f"{program}; echo ended with $?; sleep 60"
        conf = folder.parent / "tmux.conf"
        conf.write_text("set -sg escape-time 0\n")
        self.tmux[-1] = str(conf)
        subprocess.run([*self.tmux, "new-session", "-d", "-x", str(columns), "-y", str(rows), command], check=True)

    def screen(self) -> str:
        return subprocess.run([*self.tmux, "capture-pane", "-p"], capture_output=True, text=True).stdout

    def keys(self, *keys: str) -> None:
        subprocess.run([*self.tmux, "send-keys", *keys], check=True)

    def until(self, *texts: str, seconds: float = 30) -> str:
        """Wait until all texts are on the screen; returns the screen."""
        end = time.monotonic() + seconds
        while True:
            screen = self.screen()
            if all(text in screen for text in texts):
                return screen
            assert time.monotonic() < end, f"{texts} never came:\n{screen}"
            time.sleep(0.05)

    def gone(self, text: str) -> str:
        """Wait until a text is gone; returns the screen."""
        end = time.monotonic() + 15
        while text in (screen := self.screen()):
            assert time.monotonic() < end, f"{text!r} stays:\n{screen}"
            time.sleep(0.05)
        return screen

    def escape(self, text: str) -> None:
        """Press Escape, and wait until a text is gone: a key right behind it would be another key."""
        self.keys("Escape")
        self.gone(text)

    def close(self) -> None:
        subprocess.run([*self.tmux, "kill-server"], capture_output=True)
