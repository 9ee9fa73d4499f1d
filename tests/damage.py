"""Damage at random: files of any kind as disks, cables and other programmes leave them. The same seed does the same."""

import random
from fractions import Fraction
from pathlib import Path

from tests.films import numbered_film, rotate_mp4


def damaged(data: bytes, chance: random.Random) -> bytes:
    """Some bytes with one to four kinds of damage."""
    made = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 4))):
        if not made:
            return bytes(made)
        kind = chance.choice(("bit", "bit", "bytes", "zeros", "ones", "cut", "gone", "twice", "swapped", "noise"))
        at = chance.randrange(len(made))
        length = min(len(made) - at, int(2 ** chance.uniform(0, 12)))
        if kind == "bit":
            for _ in range(chance.choice((1, 1, 8, 64))):
                made[chance.randrange(len(made))] ^= 1 << chance.randrange(8)
        elif kind == "bytes":
            made[at] = chance.randrange(256)
        elif kind == "zeros":
            made[at : at + length] = bytes(length)
        elif kind == "ones":
            made[at : at + length] = b"\xff" * length
        elif kind == "cut":
            del made[at:]
        elif kind == "gone":
            del made[at : at + length]
        elif kind == "twice":
            made[at:at] = made[at : at + length]
        elif kind == "swapped":
            other = chance.randrange(len(made))
            a, b = bytes(made[at : at + 64]), bytes(made[other : other + 64])
            made[at : at + len(b)], made[other : other + len(a)] = b, a
        else:
            made[at : at + length] = chance.randbytes(length)
    return bytes(made)


def damaged_text(data: bytes, chance: random.Random) -> bytes:
    """Some text with damage of a kind that still often is text: other numbers, words and brackets."""
    if chance.random() < 0.3:
        return damaged(data, chance)
    made = data
    for _ in range(chance.choice((1, 1, 2, 5))):
        at = chance.randrange(max(1, len(made)))
        put = chance.choice(_WORDS)
        length = chance.choice((0, 0, 1, 4, 40))
        made = made[:at] + put + made[at + length :]
    return made


_WORDS = (
    *(b"NaN", b"Infinity", b"-1", b"1e999", b"0", b"9" * 400, b"null", b"true", b"[]", b"{}", b'""', b"[" * 3000),
    *(b'"\\ud800"', b"\\u0000", b"\x00", b"\xff\xfe", b",", b'"', b"\n", b"}", b"]", b"1/0", b"30000/1001", b"../.."),
    *(b"x" * 70_000, b"file://[::1/x", b"http://", b"%s%s%n", b"-0.0", b"1e-320", b'"id":"s1",', b"2.5", b"- - -"),
)


def whole_films(folder: Path) -> list[Path]:
    """Small whole films of many containers and codecs, with and without sound."""
    folder.mkdir(parents=True, exist_ok=True)
    made = [
        numbered_film(folder / "a.mp4", frames=16, sound=True),
        numbered_film(folder / "b.mov", frames=12),
        numbered_film(folder / "c.mkv", frames=12, sound=True),
        numbered_film(folder / "d.webm", frames=8, codec="libvpx"),
        numbered_film(folder / "e.avi", frames=8, codec="mpeg4"),
        numbered_film(folder / "f.ts", frames=12, sound=True, container="mpegts"),
        numbered_film(folder / "g.mpg", frames=12, codec="mpeg2video", rate=Fraction(25), container="mpeg"),
        numbered_film(folder / "h.mp4", frames=8, codec="libx265", pixel_format="yuv420p10le"),
        numbered_film(folder / "i.mkv", frames=12, stamps=[0, 40, 75, 121, 160, 190, 260, 300, 330, 372, 410, 444]),
        numbered_film(folder / "j.avi", frames=6, codec="mjpeg", pixel_format="yuvj420p"),
        numbered_film(folder / "k.mov", frames=4, codec="prores_ks", pixel_format="yuv422p10le"),
    ]
    turned = numbered_film(folder / "l.mp4", frames=8)
    rotate_mp4(turned, 90)
    return [*made, turned]
