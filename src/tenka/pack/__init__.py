"""Writers of packages."""
