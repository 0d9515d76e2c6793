"""What is wrong with a machine that no longer starts a system: causes that fit what is seen and what was captured, looks that tell them apart, the smallest repair."""
