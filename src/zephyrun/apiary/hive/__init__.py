"""Everything we know about our hives."""
