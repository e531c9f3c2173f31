"""Watch live serial traffic from GNSS receivers and wireless links, from the first byte to the final proof."""

__version__ = "0.17.0"
