"""How code stands on the page: what a project's habits are, what departs from them, and how to mend it.

Nothing here changes a token but brackets that group, commas that trail and backslashes: the proof
says whether that holds. This room knows neither plans nor findings.
"""
