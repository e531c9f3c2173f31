"""Widgets that show painted lines."""
