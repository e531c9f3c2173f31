"""Epochs, one row each, and what follows from the rows."""
