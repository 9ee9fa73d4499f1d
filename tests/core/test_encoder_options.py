"""What may be set of an encoder: what stands in the tables works, and nothing else gets through to a library."""

import ctypes
from fractions import Fraction
from pathlib import Path

import av
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
_PRIVATE_CLASS = 64
"""Where an encoder has the list of its own options (`AVCodec.priv_class`, libavcodec 62)."""
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
    assert len(names) > 300
    values = ("take.mp4", "/tmp/take.mp4", "dump-yuv=a.mp4", "1:stats=a.mp4", "18\nstats=a.mp4", "18,a.mp4", "file:a")
    for kind in FORMATS.values():
        for name in names:
            for value in values:
                with pytest.raises(ClevrinError):
                    kind.checked({name: value})


def _names_known() -> set[str]:
    """The options of all encoders, as the library lists them itself (`av_opt_next`)."""
    libraries = Path(av.__file__).parent.parent / "av.libs"
    codecs, tools = (ctypes.CDLL(str(next(libraries.glob(f"lib{name}-*")))) for name in ("avcodec", "avutil"))
    codecs.avcodec_find_encoder_by_name.restype = codecs.avcodec_get_class.restype = ctypes.c_void_p
    codecs.avcodec_find_encoder_by_name.argtypes = [ctypes.c_char_p]
    tools.av_opt_next.restype, tools.av_opt_next.argtypes = ctypes.c_void_p, [ctypes.c_void_p, ctypes.c_void_p]
    classes = [codecs.avcodec_get_class()]
    for codec in {kind.codec for kind in FORMATS.values() if kind.codec}:
        found = codecs.avcodec_find_encoder_by_name(codec.encode())
        classes.append(ctypes.cast(found + _PRIVATE_CLASS, ctypes.POINTER(ctypes.c_void_p))[0])
    names = set()
    for each in classes:
        holder, option = ctypes.c_void_p(each), None
        while option := tools.av_opt_next(ctypes.byref(holder), option):
            names.add(ctypes.cast(option, ctypes.POINTER(ctypes.c_char_p))[0].decode())
    return names
