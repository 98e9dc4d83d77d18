"""Management: where a device is managed, and from where: models, settings and checks."""
