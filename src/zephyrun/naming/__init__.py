"""Words, short forms and evidence: how hard a name is to read, and what would be a better one.

Knows no particular language: reserved words are handed in.
"""
