"""The package format: what an export folder holds, as models, and how it is read back."""
