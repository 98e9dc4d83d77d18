"""The script room: Plan x Phrasebook -> Script, what will be said to one device and in which order. Pure."""
