"""The painters of Fix."""
