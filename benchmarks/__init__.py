"""Speed and memory, as ratios to a floor measured in the same run. `make bench` runs all; name some to run those."""
