"""Management services: models, settings and checks."""
