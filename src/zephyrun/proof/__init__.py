"""Says whether two versions behave the same. It trusts no other room that changes code.

Translation validation: each result is checked afresh by three witnesses (`normal_form`,
`compiled`, `remains`), and only when all agree is the verdict `same`. In doubt it is `unproven`.
Begin with `comparison.compare_files` and `trees.compare_trees`. Nothing is imported here, since a
survey needs the third witness only.
"""
