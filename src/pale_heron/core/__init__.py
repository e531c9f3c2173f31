"""Pure computation: no input or output, no threads, no clock of its own, no screen. Time is always an argument."""
