"""The proof room: readings -> facts -> findings. Pure."""

from zinger.proof.facts import Fact, Facts, gather
from zinger.proof.findings import Finding, Source, Verdict, judge, proved, to_say

__all__ = ["Fact", "Facts", "Finding", "Source", "Verdict", "gather", "judge", "proved", "to_say"]
