"""Dialogues on pages: what came over HTTP goes in, requests come out."""
