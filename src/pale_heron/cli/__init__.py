"""The commands, one small file each."""
