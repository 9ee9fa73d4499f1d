"""What may be set of an encoder: what stands in the tables works, and nothing else gets through to a library."""

import re
import shutil
import subprocess
from fractions import Fraction

import pytest

from clevrin.core.document.colour import Colour
from clevrin.core.errors import ClevrinError
from clevrin.core.media.binding import SegmentWriter, is_whole
from clevrin.core.media.encoder_options import Between, BitsASecond, OneOf
from clevrin.core.media.formats import FORMATS
from tests.films import still

_ATTACKS = {
    "h264": (
        ("x264-params", "dump-yuv=take.mp4"),
        ("x264opts", "dump-yuv=take.mp4"),
        ("x264-params", "pass=1:stats=take.mp4"),
        ("stats", "take.mp4"),
        ("flags", "+pass1"),
        ("passlogfile", "take.mp4"),
    ),
    "hevc": (
        ("x265-params", "csv=take.mp4"),
        ("x265-params", "analysis-save=take.mp4"),
        ("x265-params", "pass=1:stats=take.mp4"),
    ),
    "av1": (("svtav1-params", "stats=take.mp4:pass=1"),),
    "wav": (("stats", "take.mp4"),),
    "gif": (("quality", "nan"),),
    "webp": (("quality", "nan"), ("quality", "1e9"), ("quality", "-1"), ("quality", "٣"), ("quality", "")),
}
_EDGES = [
    (kind.id, name, value)
    for kind in FORMATS.values()
    for name, rule in kind.rules.items()
    for value in (
        rule.values
        if isinstance(rule, OneOf)
        else ("10k", "2000M")
        if isinstance(rule, BitsASecond)
        else (f"{rule.low:g}", f"{rule.high:g}")
        if isinstance(rule, Between)
        else ()
    )
    if kind.codec
]


@pytest.mark.parametrize(
    ("kind", "name", "value"), [(kind, *each) for kind, attacks in _ATTACKS.items() for each in attacks]
)
def test_what_could_name_a_file_or_is_no_value_is_refused_in_a_sentence(kind, name, value):
    with pytest.raises(ClevrinError) as told:
        FORMATS[kind].checked({name: value})
    words = str(told.value)
    assert words.startswith((FORMATS[kind].title, name))
    assert "\n" not in words and len(words) < 400
    if name not in FORMATS[kind].rules and FORMATS[kind].rules:
        assert all(each in words for each in FORMATS[kind].rules), "it says what may be set"


@pytest.mark.parametrize(("kind", "name", "value"), _EDGES)
def test_every_value_that_may_be_set_is_taken_by_the_encoder(tmp_path, kind, name, value):
    coding = FORMATS[kind].coding(None, deep=False, clear=False, given={name: value})
    path = tmp_path / "part"
    with SegmentWriter(path, coding=coding, rate=Fraction(25), size=(64, 64), colour=Colour()) as writer:
        for _ in range(2):
            writer.write(still((64, 64), 100))
    assert is_whole(path, 2)


def test_no_option_that_an_encoder_of_the_library_knows_can_be_a_file_name():
    names = {"x264-params", "x265-params", "svtav1-params", "stats", "passlogfile", "flags", *_names_known()}
    values = ("take.mp4", "/tmp/take.mp4", "dump-yuv=a.mp4", "1:stats=a.mp4", "18\nstats=a.mp4", "18,a.mp4", "file:a")
    for kind in FORMATS.values():
        for name in names:
            for value in values:
                with pytest.raises(ClevrinError):
                    kind.checked({name: value})


def _names_known() -> set[str]:
    """The options of all encoders, from FFmpeg's own help where it is installed."""
    program = shutil.which("ffmpeg")
    if program is None:
        return set()
    helps = ["full", *(f"encoder={kind.codec}" for kind in FORMATS.values() if kind.codec)]
    told = (subprocess.run([program, "-hide_banner", "-h", each], capture_output=True, text=True) for each in helps)
    return {found for each in told for found in re.findall(r"^\s+-(\S+)\s", each.stdout, re.MULTILINE)}
