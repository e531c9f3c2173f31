"""What people write for a bench: lanes, dialects, routines, how a module should be set."""
