"""The painters of Traffic."""
