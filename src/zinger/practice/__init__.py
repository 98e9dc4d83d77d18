"""The practice yard: simulated devices, cables, power and a network segment, as a process of their own.

Nothing here knows how Zinger speaks or what its phrasebooks expect; the switches behave as hardware does.
"""
