"""The handover room: drawings, papers and tables of what was done, written whole or not at all."""
