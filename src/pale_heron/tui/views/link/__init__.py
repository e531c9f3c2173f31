"""The painters of Link."""
