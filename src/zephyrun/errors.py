"""What a person can mend. Anything else that escapes is a fault of our own."""


class UserError(Exception):
    """The call itself is wrong. The message is one sentence: what, where, and what to do."""
