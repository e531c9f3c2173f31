"""Routines that ship with the program; docs/bringing-up-a-module.md tells how to write one."""
