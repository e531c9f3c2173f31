"""Whatever is done to devices: one registry, and each kind of operation in a file of its own."""
