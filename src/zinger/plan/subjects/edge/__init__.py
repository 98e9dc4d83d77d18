"""Routers and firewalls: models, settings and checks."""
