"""Verification cases; the gallery is shared by tests, ``make verify`` and the physics manual's table."""
