"""Where are we, and how sure: epochs, state of the fix, facts with source and age, satellites, starts, outages."""
