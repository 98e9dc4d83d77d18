"""Switching and routing: models, settings and checks."""
