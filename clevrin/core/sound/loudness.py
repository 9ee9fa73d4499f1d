"""How loud something is, as EBU R 128 measures it (ITU-R BS.1770), by the codec library's own filter."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import av
import av.filter
import numpy as np
from numpy.typing import NDArray

from clevrin.core.importing import importing
from clevrin.core.media.writing import SOUND_RATE

Sound = NDArray[np.float32]

HIGHEST_PEAK_DB = -1.0
"""EBU R 128: true peaks stay under it."""
SILENT_LUFS = -70.0
"""What the filter says where there is nothing to measure."""
_HEARD_LUFS = -69.0
TENTHS = 10
"""Values a second of a course."""
_TENTH = SOUND_RATE // TENTHS
_FINE = 4


@dataclass(frozen=True, kw_only=True)
class Loudness:
    """Integrated loudness in LUFS (None: silence), its range in LU, and the true peak in dBTP (None: silence)."""

    lufs: float | None
    range_lu: float
    peak_db: float | None

    def gain_to(self, lufs: float) -> float:
        """The factor that brings it to a loudness, as far as true peaks stay under -1 dBTP."""
        if self.lufs is None or self.peak_db is None:
            return 1.0
        wanted = lufs - self.lufs
        return float(10 ** (min(wanted, HIGHEST_PEAK_DB - self.peak_db) / 20))


@dataclass(frozen=True, kw_only=True, eq=False)
class LoudnessCourse:
    """A sound's loudness as it goes on, one value for each tenth of a second: (n,) float32, read-only.

    `momentary_lufs` is that of the last 0.4 s, `short_lufs` of the last 3 s; `peak_db`: the true peak within the tenth.
    -70 and below: silence. `music_share`: what the music is multiplied by where it makes room; None: it makes none.
    """

    whole: Loudness
    momentary_lufs: NDArray[np.float32]
    short_lufs: NDArray[np.float32]
    peak_db: NDArray[np.float32]
    music_share: NDArray[np.float32] | None = None

    def at(self, second: float) -> tuple[float, float, float]:
        """Momentary and short-term loudness and the true peak about an instant; silence beyond its ends."""
        tenth = int(second * TENTHS)
        if not 0 <= tenth < len(self.peak_db):
            return SILENT_LUFS, SILENT_LUFS, SILENT_LUFS
        return tuple(float(each[tenth]) for each in (self.momentary_lufs, self.short_lufs, self.peak_db))  # type: ignore[return-value]


def loudness_of(blocks: Iterable[Sound]) -> Loudness:
    """Measures sound, in blocks (n, 2) float32 at 48,000 samples a second. Costs 10 ms a second of it."""
    told: dict[str, str] = {}
    for told in _measured(blocks):  # noqa: B007  # the last one says it for all
        pass
    return _whole(told)


def loudness_course(blocks: Iterable[Sound]) -> LoudnessCourse:
    """The same, and how it goes. Costs 25 ms a second."""
    peaks = _Peaks()
    momentary, short = [], []
    told: dict[str, str] = {}
    for told in _measured(map(peaks.heard, blocks)):
        momentary.append(float(told["lavfi.r128.M"]))
        short.append(float(told["lavfi.r128.S"]))
    columns = [np.maximum(np.array(each, np.float32), SILENT_LUFS) for each in (momentary, short, peaks.told())]
    count = min(len(each) for each in columns)
    for each in columns:
        each.setflags(write=False)
    return LoudnessCourse(
        whole=_whole(told),
        momentary_lufs=columns[0][:count],
        short_lufs=columns[1][:count],
        peak_db=columns[2][:count],
    )


def _whole(told: dict[str, str]) -> Loudness:
    lufs = float(told.get("lavfi.r128.I", SILENT_LUFS))
    peaks = [float(value) for name, value in told.items() if name.startswith("lavfi.r128.true_peaks_ch")]
    peak = max(peaks, default=0.0)
    return Loudness(
        lufs=lufs if lufs > _HEARD_LUFS else None,
        range_lu=float(told.get("lavfi.r128.LRA", 0.0)),
        peak_db=float(20 * np.log10(peak)) if peak > 0 else None,
    )


class _Peaks:
    """True peaks of each tenth of a second of what goes through: samples at four times the rate (BS.1770, annex 2)."""

    def __init__(self) -> None:
        self._left = np.zeros((0, 2), np.float32)
        self._peaks: list[float] = []

    def heard(self, block: Sound) -> Sound:
        sound = np.concatenate([self._left, block])
        whole = len(sound) // _TENTH * _TENTH
        if whole:
            self._add(sound[:whole])
        self._left = sound[whole:]
        return block

    def told(self) -> list[float]:
        """In dB, one a tenth; the last one may be of less."""
        if len(self._left):
            self._add(np.concatenate([self._left, np.zeros((_TENTH - len(self._left), 2), np.float32)]))
            self._left = self._left[:0]
        return self._peaks

    def _add(self, sound: Sound) -> None:
        with importing:
            from scipy.signal import resample_poly

        fine = np.abs(resample_poly(sound, _FINE, 1, axis=0)).reshape(-1, _FINE * _TENTH * 2).max(axis=1)
        self._peaks += (20 * np.log10(np.maximum(fine, 10 ** (SILENT_LUFS / 20)))).tolist()


def _measured(blocks: Iterable[Sound]) -> Iterator[dict[str, str]]:
    """What the filter says, after each tenth of a second."""
    graph = av.filter.Graph()
    source = graph.add_abuffer(sample_rate=SOUND_RATE, format="fltp", layout="stereo")
    measure, sink = graph.add("ebur128", "metadata=1:peak=true"), graph.add("abuffersink")
    source.link_to(measure)
    measure.link_to(sink)
    graph.configure()
    at = 0
    for block in blocks:
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block.T, np.float32), format="fltp", layout="stereo")
        frame.sample_rate, frame.pts = SOUND_RATE, at
        at += len(block)
        graph.push(frame)
        yield from _ready(graph)
    graph.push(None)
    yield from _ready(graph)


def _ready(graph: av.filter.Graph) -> Iterator[dict[str, str]]:
    while True:
        try:
            frame = graph.pull()
        except (av.BlockingIOError, av.EOFError):
            return
        if told := dict(frame.metadata):
            yield told
