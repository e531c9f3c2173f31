"""What was recorded held against what is expected of it."""
