"""How one speaks with a device: dialects, and what was set, stored and waits for a restart."""
