"""Numbers as programmes write them, whatever the user's language: for the libraries, not for what is seen."""

import locale


def keep_numbers_plain() -> None:
    """To be called once there is a QApplication, which takes over the user's way for all of the process.

    FFmpeg then reads a quality of 20.5 as 20, and tells a loudness of -23,1. What is seen goes through Qt's own
    locale, which stays as it is.
    """
    locale.setlocale(locale.LC_NUMERIC, "C")
