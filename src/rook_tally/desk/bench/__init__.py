"""The Bench view: whether a sensor is right, and what happens when."""
