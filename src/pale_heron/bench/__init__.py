"""The lanes used together: live from ports, or again from a capture."""
