"""The painters of Module."""
