"""The sheet: rows of settings with their fields, feet under some sections, findings."""
