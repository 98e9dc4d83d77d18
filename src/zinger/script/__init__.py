"""The script room: Plan x Phrasebook -> Script, what will be said to one device and in which order. Pure."""

from zinger.script.compile import Known, Script, ScriptPhrase, Unsaid, compare, compile_script

__all__ = ["Known", "Script", "ScriptPhrase", "Unsaid", "compare", "compile_script"]
