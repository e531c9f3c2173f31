"""Many sentences of one receiver at once, by the rules of its trackers."""
