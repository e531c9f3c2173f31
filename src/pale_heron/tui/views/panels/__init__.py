"""The painters of panels: what lies over a view while something is chosen, set or sent."""
