"""Wireless networks: models, settings and checks."""
