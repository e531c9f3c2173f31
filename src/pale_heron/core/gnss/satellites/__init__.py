"""The satellites seen and used, and their signals."""
