"""Expected errors: things a person can understand and act on.

Raised anywhere below the edge; the window and the command line turn them into one
sentence. Every other exception is a bug and is logged and reported as one.
"""

from __future__ import annotations

from typing import Self

from lather.names import readable


class LatherError(Exception):
    """Something went wrong that the user can act on.

    Parameters
    ----------
    what : what did not happen, naming the object.
    why : the reason, as far as it is known.
    advice : what to do about it.
    """

    def __init__(self, what: str, why: str = "", advice: str = "") -> None:
        self.what = what
        self.why = why
        self.advice = advice
        super().__init__(self.sentence())

    def advising(self, advice: str) -> Self:
        """The same error with what to do about it where the person is."""
        return type(self)(self.what, self.why, advice)

    def sentence(self) -> str:
        """The whole message in one line: what: why; advice."""
        text = self.what.rstrip(".")
        if self.why:
            text += f": {self.why.rstrip('.')}"
        if self.advice:
            text += f"; {self.advice.rstrip('.')}"
        return readable(text) + "."


class PhotoError(LatherError):
    """A photo cannot be read or written."""


class TruncatedError(PhotoError):
    """A photo's file ends too early; what is there can be opened all the same."""


class JobFileError(LatherError):
    """A job file cannot be read or written."""


class NewerError(JobFileError):
    """A job or journal was made by a newer Lather."""


class PhotoMissingError(JobFileError):
    """A job's linked photo is not where it was, or is another one."""


class InUseError(LatherError):
    """A job is open in another process."""


class BusyError(LatherError):
    """Something else runs aside, one at a time."""


class EditError(LatherError):
    """An edit does not apply to the layer or job at hand."""


class BoundsError(EditError, ValueError):
    """A value is beyond what any file can hold."""


class BriefError(EditError):
    """A brief cannot be read, or says two things at once."""


class UnseenError(EditError):
    """What was to be done would not show in the picture."""


class ScaleError(EditError):
    """Nothing says how large a millimetre is in the picture."""


class ModelError(LatherError):
    """A network that ships with Lather is missing or damaged."""


class UsageError(LatherError):
    """A command was called with something it cannot use."""


class Cancelled(Exception):  # noqa: N818 - an outcome, not an error
    """The user cancelled; nothing was changed."""
