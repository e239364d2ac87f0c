"""The board in the window: variants against what they cost, found in the background."""
