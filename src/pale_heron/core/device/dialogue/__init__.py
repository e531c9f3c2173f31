"""What is said between us and a module, followed over both streams."""
