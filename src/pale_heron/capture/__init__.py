"""The record of everything: captures written and read as pcapng, and raw files of bytes read the same way."""
