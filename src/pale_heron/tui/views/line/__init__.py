"""The painters of Line."""
