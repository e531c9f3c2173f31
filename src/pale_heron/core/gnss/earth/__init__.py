"""Points on the Earth: typed, moved, and the distances between them."""
