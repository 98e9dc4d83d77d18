"""Accounts and passwords: models, settings and checks."""
