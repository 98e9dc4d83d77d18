"""Names and time: models, settings and checks."""
