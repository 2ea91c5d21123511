"""The disk side of a project: its root, its files, and what is read of them."""
