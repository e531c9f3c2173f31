"""Routines that ship with the program; docs/bringing-up-a-module.md says how to write one."""
