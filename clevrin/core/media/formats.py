"""The formats in which a reel is delivered, as a table; a new one is a row here.

What a film is for says how good it is, in plain words: `look` to look at, `net` to put on the net, `edit` to edit
further (every frame by itself), `lossless`. Every figure that this stands for can be given instead.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from clevrin.core.errors import ClevrinError
from clevrin.core.media.coding import Coding
from clevrin.core.media.encoder_options import FFV1, PNG, PRORES, SVT_AV1, TIFF, WEBP, X264, X265, Rules, checked

Purpose = Literal["look", "net", "edit", "lossless"]
Kind = Literal["film", "pictures", "loop", "sound"]
Options = Mapping[str, str]

PURPOSES: dict[Purpose, str] = {
    "look": "to look at",
    "net": "to put on the net",
    "edit": "to edit further",
    "lossless": "lossless",
}
_THREADS = 4
"""What comes out of some encoders depends on how many threads they have: so, they have as many everywhere."""


@dataclass(frozen=True, kw_only=True)
class Format:
    """A format: what its files are called, which codec codes it, and with which options for each purpose.

    `pixels`: pixel formats by how many bits of a sample they have; `clear`: the same with what is clear. `container`:
    as FFmpeg calls it; `sound`: the codec of the sound, "" for none. `rules`: what may be set of its encoder.
    `most_side`: the largest side that it can have.
    """

    id: str
    title: str
    help: str
    kind: Kind
    suffix: str
    purposes: Mapping[Purpose, Options]
    codec: str = ""
    container: str = ""
    pixels: Mapping[int, str] = field(default_factory=dict)
    clear: Mapping[int, str] = field(default_factory=dict)
    sound: str = ""
    always: Options = field(default_factory=dict)
    rules: Rules = field(default_factory=dict)
    tag: str = ""
    most_side: int = 16384

    def checked(self, given: Options) -> dict[str, str]:
        """Options as they were given. Raises `ClevrinError` for what the format cannot be given."""
        return checked(self.title, self.rules, given)

    @property
    def usual(self) -> Purpose:
        """The purpose that is taken where none is named."""
        return next(each for each in ("net", "edit", "lossless", "look") if each in self.purposes)

    @property
    def in_folder(self) -> bool:
        """Whether it is a folder of files."""
        return self.kind == "pictures"

    def coding(self, purpose: Purpose | None, *, deep: bool, clear: bool, given: Options | None = None) -> Coding:
        """How pictures are coded; `given` replaces or adds options of the encoder.

        Raises `ClevrinError` for a purpose that the format has not, and for an option that it cannot be given.
        """
        purpose = purpose or self.usual
        if purpose not in self.purposes:
            words = ", ".join(PURPOSES[each] for each in self.purposes)
            raise ClevrinError(f"{self.title} is made {words}, not {PURPOSES[purpose]}.")
        table = self.clear if clear and self.clear else self.pixels
        bits = max(table) if deep else min(table)
        options = {**self.always, **self.purposes[purpose], **self.checked(given or {})}
        return Coding(codec=self.codec, pixels=table[bits], options=tuple(options.items()), threads=_THREADS)


_INTRA = {"g": "1"}
_H26X = {8: "yuv420p", 10: "yuv420p10le"}
_X265 = "log-level=error:frame-threads=2:bframes=0"
"""With frames that are coded out of their order, films of one or two frames are refused, now and then (of 150: 51)."""

FORMATS: dict[str, Format] = {
    each.id: each
    for each in (
        Format(
            id="h264",
            title="H.264",
            help="Plays everywhere",
            kind="film",
            suffix=".mp4",
            codec="libx264",
            container="mp4",
            pixels=_H26X,
            sound="aac",
            rules=X264,
            purposes={
                "look": {"crf": "27", "preset": "veryfast"},
                "net": {"crf": "18", "preset": "veryfast"},
                "edit": {"crf": "11", "preset": "veryfast", "tune": "fastdecode", "mbtree": "0", **_INTRA},
            },
        ),
        Format(
            id="hevc",
            title="HEVC",
            help="Smaller than H.264, slower to make",
            kind="film",
            suffix=".mp4",
            codec="libx265",
            container="mp4",
            pixels=_H26X,
            sound="aac",
            tag="hvc1",
            always={"x265-params": _X265},
            most_side=8192,
            rules=X265,
            purposes={
                "look": {"crf": "31", "preset": "ultrafast"},
                "net": {"crf": "22", "preset": "veryfast"},
                "edit": {"crf": "13", "preset": "veryfast", "x265-params": f"{_X265}:keyint=1:cutree=0"},
                "lossless": {"preset": "ultrafast", "x265-params": f"{_X265}:lossless=1"},
            },
        ),
        Format(
            id="av1",
            title="AV1",
            help="The smallest for the net",
            kind="film",
            suffix=".mp4",
            codec="libsvtav1",
            container="mp4",
            pixels=_H26X,
            sound="aac",
            always={"svtav1-params": "lp=2"},
            most_side=8192,
            rules=SVT_AV1,
            purposes={
                "look": {"crf": "45", "preset": "11"},
                "net": {"crf": "28", "preset": "8"},
            },
        ),
        Format(
            id="prores-422",
            title="ProRes 422 HQ",
            help="For cutting and grading",
            kind="film",
            suffix=".mov",
            codec="prores_ks",
            container="mov",
            pixels={10: "yuv422p10le"},
            sound="pcm_s24le",
            rules=PRORES,
            purposes={"edit": {"profile": "hq", "vendor": "apl0"}},
        ),
        Format(
            id="prores-4444",
            title="ProRes 4444",
            help="For compositing: what is clear stays clear",
            kind="film",
            suffix=".mov",
            codec="prores_ks",
            container="mov",
            pixels={10: "yuva444p10le"},
            clear={10: "yuva444p10le"},
            sound="pcm_s24le",
            rules=PRORES,
            purposes={"edit": {"profile": "4444", "alpha_bits": "16", "vendor": "apl0"}},
        ),
        Format(
            id="ffv1",
            title="FFV1",
            help="For keeping: nothing is lost, what is clear stays clear",
            kind="film",
            suffix=".mkv",
            codec="ffv1",
            container="matroska",
            pixels={8: "yuv420p", 16: "yuv420p16le"},
            clear={8: "yuva420p", 16: "yuva420p16le"},
            sound="flac",
            always={"level": "3", "slices": "12", "slicecrc": "1", **_INTRA},
            rules=FFV1,
            purposes={"lossless": {}},
        ),
        Format(
            id="png",
            title="PNG pictures",
            help="A folder of pictures of 16 bit, what is clear stays clear",
            kind="pictures",
            suffix=".png",
            codec="png",
            pixels={16: "rgb48be"},
            clear={16: "rgba64be"},
            rules=PNG,
            purposes={"lossless": {"compression_level": "3", "pred": "paeth"}},
        ),
        Format(
            id="tiff",
            title="TIFF pictures",
            help="A folder of pictures of 16 bit, what is clear stays clear",
            kind="pictures",
            suffix=".tiff",
            codec="tiff",
            pixels={16: "rgb48le"},
            clear={16: "rgba64le"},
            rules=TIFF,
            purposes={"lossless": {"compression_algo": "lzw"}},
        ),
        Format(
            id="webp",
            title="WebP loop",
            help="Small, moving and without sound, for a look",
            kind="loop",
            suffix=".webp",
            rules=WEBP,
            purposes={"look": {"quality": "70"}},
        ),
        Format(
            id="gif",
            title="GIF loop",
            help="Small, moving and without sound, shown by everything",
            kind="loop",
            suffix=".gif",
            purposes={"look": {}},
        ),
        Format(id="wav", title="WAV", help="The sound alone", kind="sound", suffix=".wav", sound="pcm_s24le",
               container="wav", purposes={"lossless": {}}),
        Format(id="flac", title="FLAC", help="The sound alone, half as large", kind="sound", suffix=".flac",
               sound="flac", container="flac", purposes={"lossless": {}}),
    )
}  # fmt: skip


def format_of(path: Path, named: str | None = None) -> Format:
    """The format that was named, else the one that files of such a name usually have.

    Raises `ClevrinError` for a name that no format has, or that is another one's.
    """
    suffix = path.suffix.lower()
    if named is None:
        usual = {".mov": "prores-4444", ".mp4": "h264", "": "png"}
        found = FORMATS.get(usual.get(suffix, "")) or next((f for f in FORMATS.values() if f.suffix == suffix), None)
        if found is None:
            raise ClevrinError(f"{path.name} has the name of no format: name it .mp4, .mov, .mkv, .wav or the like.")
        return found
    if named not in FORMATS:
        raise ClevrinError(f"There is no format {named}; there are {', '.join(FORMATS)}.")
    wanted = FORMATS[named]
    right = suffix == "" if wanted.in_folder else suffix == wanted.suffix
    if not right:
        what = "a folder, without an ending" if wanted.in_folder else f"named {wanted.suffix}"
        raise ClevrinError(f"{wanted.title} is {what}: {path.name} is not.")
    return wanted
