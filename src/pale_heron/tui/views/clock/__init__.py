"""The painters of Clock."""
