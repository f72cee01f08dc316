"""What can go wrong with a picture file, as one sentence for the person who owns it."""

from oatmeal.host.errors import Told


class PhotoFileError(Told):
    """A picture file that cannot be read or written; the text is a sentence for the user."""


class NotAPicture(PhotoFileError):
    """The file is no picture at all."""


class Unsupported(PhotoFileError):
    """A picture of a kind that is not supported yet."""


class Damaged(PhotoFileError):
    """A picture that is truncated or broken."""


class Lost(PhotoFileError):
    """An original that the library kept and that is not there, or not as it was taken in."""


class TooLarge(PhotoFileError):
    """A picture beyond the limits on bytes or pixels."""


def incomplete(name: str) -> Damaged:
    """The error for a picture whose pixels cannot all be read."""
    return Damaged(f"{name} is damaged or incomplete: copy it again from its card or archive.")
