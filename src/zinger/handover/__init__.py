"""The handover room: drawings, papers and tables of what was done, written whole or not at all."""

from zinger.handover.papers import write_papers

__all__ = ["write_papers"]
