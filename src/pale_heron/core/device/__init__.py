"""How a device is told things: dialects, and what was set, stored and waits for a restart."""
