"""What time the stream says it is."""
