"""The desk: what a person works on before and after a run: editing the plan, imports, jobs, first contact, playback."""
