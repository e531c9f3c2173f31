"""The lines of a bench by number, from memory or read back: found, filtered."""
