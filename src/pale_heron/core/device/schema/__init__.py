"""What people write about a device: its commands, replies, settings and routines, as checked values."""
