"""Does a link deliver, undamaged, how fast? Probes found in the bytes, and what was counted of them."""
