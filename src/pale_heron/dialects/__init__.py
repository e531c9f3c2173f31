"""The dialects that ship with the program, as TOML files."""
