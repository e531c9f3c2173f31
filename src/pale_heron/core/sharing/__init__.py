"""What lines tell that others need not know, and what stands in its place."""
