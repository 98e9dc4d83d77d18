"""The yard itself: boxes, consoles, wires, doors, and what the dialogues of families have in common."""
