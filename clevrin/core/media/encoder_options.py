"""What may be set of an encoder by whoever renders: names with a kind of value each, and none that could name a file.

The libraries under FFmpeg take whole lines of settings of their own (`x264-params` and the like); some of those name
files that are then written, be it over a film. So nothing reaches an encoder but what stands in a table here.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

from clevrin.core.errors import ClevrinError

_MANY = {"": 1, "k": 1_000, "M": 1_000_000}


class Rule(Protocol):
    """What values an option takes: in `words`, and whether a text `allows` is one of them."""

    @property
    def words(self) -> str: ...

    def allows(self, text: str) -> bool: ...


@dataclass(frozen=True)
class Between:
    """Numbers from `low` to `high`; `whole`: none between them."""

    low: float
    high: float
    whole: bool = True

    @property
    def words(self) -> str:
        return f"{self.low:g} to {self.high:g}"

    def allows(self, text: str) -> bool:
        plain = re.fullmatch(r"-?[0-9]{1,9}" if self.whole else r"-?[0-9]{1,9}(\.[0-9]{1,9})?", text, re.ASCII)
        return plain is not None and self.low <= float(text) <= self.high


@dataclass(frozen=True)
class OneOf:
    """One of some words."""

    values: tuple[str, ...]

    @property
    def words(self) -> str:
        return ", ".join(self.values)

    def allows(self, text: str) -> bool:
        return text in self.values


@dataclass(frozen=True)
class BitsASecond:
    """How many bits a second may take, as 800k or 12M."""

    low: float = 10_000
    high: float = 2_000_000_000
    words: str = "10k to 2000M"

    def allows(self, text: str) -> bool:
        plain = re.fullmatch(r"([0-9]{1,10})([kM]?)", text, re.ASCII)
        return plain is not None and self.low <= int(plain[1]) * _MANY[plain[2]] <= self.high


Rules = Mapping[str, Rule]

_RATES: Rules = {"b": BitsASecond(), "maxrate": BitsASecond(), "bufsize": BitsASecond()}
_PRESETS = OneOf(
    ("ultrafast", "superfast", "veryfast", "faster", "fast", "medium", "slow", "slower", "veryslow", "placebo")
)
_GROUP = Between(1, 1000)

X264: Rules = {
    "crf": Between(0, 51, whole=False),
    "qp": Between(0, 69),
    "preset": _PRESETS,
    "tune": OneOf(("film", "animation", "grain", "stillimage", "fastdecode", "zerolatency")),
    "g": _GROUP,
    "bf": Between(0, 16),
    "refs": Between(1, 16),
    "aq-mode": Between(0, 3),
    "rc-lookahead": Between(0, 250),
    "mbtree": Between(0, 1),
    **_RATES,
}
X265: Rules = {
    "crf": Between(0, 51, whole=False),
    "preset": _PRESETS,
    "tune": OneOf(("grain", "animation", "fastdecode", "zerolatency")),
    **_RATES,
}
SVT_AV1: Rules = {"crf": Between(1, 63), "preset": Between(0, 13), "g": _GROUP}
PRORES: Rules = {
    "bits_per_mb": Between(0, 8192),
    "mbs_per_slice": OneOf(("1", "2", "4", "8")),
    "quant_mat": OneOf(("auto", "default", "proxy", "lt", "standard", "hq")),
}
FFV1: Rules = {
    "coder": OneOf(("rice", "range_def", "range_tab")),
    "context": Between(0, 1),
    "slices": OneOf(("4", "6", "9", "12", "16", "24", "30")),
    "slicecrc": Between(0, 1),
    "g": _GROUP,
}
PNG: Rules = {
    "compression_level": Between(0, 9),
    "pred": OneOf(("none", "sub", "up", "avg", "paeth", "mixed")),
}
TIFF: Rules = {"compression_algo": OneOf(("raw", "packbits", "lzw", "deflate"))}
WEBP: Rules = {"quality": Between(0, 100)}


def checked(title: str, rules: Rules, given: Mapping[str, str]) -> dict[str, str]:
    """What was given, where a format of a title may be given it.

    Raises `ClevrinError` for another name or value, in a sentence that says what may be set.
    """
    for name, value in given.items():
        if not rules:
            raise ClevrinError(f"{title} has no options that could be set.")
        if name not in rules:
            raise ClevrinError(f"{title} has no option {_short(name)}; what can be set: {_all_of(rules)}.")
        if not rules[name].allows(value):
            raise ClevrinError(f"{name} of {title} is one of {rules[name].words}, not {_short(value)}.")
    return dict(given)


def _all_of(rules: Rules) -> str:
    return ", ".join(f"{name} ({rule.words})" if isinstance(rule, Between) else name for name, rule in rules.items())


def _short(text: str) -> str:
    plain = "".join(each if each.isprintable() else "?" for each in text[:40])
    return plain + ("…" if len(text) > len(plain) else "")
