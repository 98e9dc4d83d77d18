"""The handover room."""
from pathlib import Path
from typing import Any


def write_papers(folder: Any, plan: Any, scripts: Any) -> list[Path]:
    return []
