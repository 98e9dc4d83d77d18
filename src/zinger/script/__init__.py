"""The script room: Plan x Phrasebook -> Script, what will be said to one device and in which order. Pure."""

from zinger.script.compile import Known, Script, ScriptInterview, ScriptPhrase, Unsaid, compare, compile_script

__all__ = ["Known", "Script", "ScriptInterview", "ScriptPhrase", "Unsaid", "compare", "compile_script"]
