"""Lines of coloured text as plain data: the brushes that every painter uses. Knows no toolkit."""
