"""A capture played again, and the index that lets it jump."""
