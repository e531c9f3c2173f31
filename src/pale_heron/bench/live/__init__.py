"""The live bench: written down first, decoded after."""
