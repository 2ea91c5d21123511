"""Steps turned into edits, one module a kind of change, and proved before anyone writes them."""
