"""Voice gateways: models, settings and checks."""
