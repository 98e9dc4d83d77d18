"""The phrasebook room: YAML in, a checked Phrasebook out. Pure, but for reading the shipped files."""
