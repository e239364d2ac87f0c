"""Running effects: keys, the clean run, and live editing."""
