"""The stage: the picture, what is drawn over it, handles, and looking into the gas."""
