"""Findings, plans and proofs for people and for programs. Nothing here prints: each function
returns text, a document, or something that a console can draw."""
