"""The window and the hands of the tests of the desk."""

from tests.desk.conftest import hands, themed, window  # noqa: F401
