"""Painters of Proof."""
