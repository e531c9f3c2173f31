"""What opens over a view or before it: lists to choose from, panels to set, lines to type in."""
