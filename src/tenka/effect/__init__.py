"""The document: an immutable tree of settings, how it is edited, and how it is kept on disk."""
