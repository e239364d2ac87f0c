"""Windows beside the window."""
