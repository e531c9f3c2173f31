"""Is anything arriving, and is it legible: inventory, load, steps, findings."""
