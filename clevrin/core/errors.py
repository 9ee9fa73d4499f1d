"""Errors that carry a sentence for people: what happened to what, and what can be done."""


class ClevrinError(Exception):
    """Something a person can understand and act on; `str()` is one sentence without a traceback."""


class MediaError(ClevrinError):
    """A media file that cannot be read or written."""


class DocumentError(ClevrinError):
    """A project file that cannot be read or written."""


class NotMeasuredError(ClevrinError):
    """Something asks for a measurement that has not been made yet."""


class CancelledError(ClevrinError):
    """Work was stopped because somebody asked for it; what was finished is kept."""
