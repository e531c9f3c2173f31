"""What can be done: one table of keys, and what each does."""
