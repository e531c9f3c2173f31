"""What may be wrong with a line, weighed from what is seen of it."""
