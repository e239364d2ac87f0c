"""The window: shows the core, and keeps no settings of its own."""
