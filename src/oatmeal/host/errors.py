"""What goes wrong, as one sentence for the person in front of it."""


class Told(Exception):
    """An error whose text is a sentence for the user: what, with which file, and what to do."""
