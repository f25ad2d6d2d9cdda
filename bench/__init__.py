"""Speed, side by side with general-purpose references in one run, as ratios. Run by `make bench`."""
