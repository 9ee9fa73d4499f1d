"""How loud something is, as EBU R 128 measures it (ITU-R BS.1770), by the codec library's own filter."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import av
import av.filter
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.writing import SOUND_RATE

Sound = NDArray[np.float32]

HIGHEST_PEAK_DB = -1.0
"""EBU R 128: true peaks stay under it."""
_SILENT_LUFS = -69.0
"""The filter says -70 where there is nothing to measure."""


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


def loudness_of(blocks: Iterable[Sound]) -> Loudness:
    """Measures sound, in blocks (n, 2) float32 at 48,000 samples a second. Costs 10 ms a second of it."""
    graph = av.filter.Graph()
    source = graph.add_abuffer(sample_rate=SOUND_RATE, format="fltp", layout="stereo")
    measure, sink = graph.add("ebur128", "metadata=1:peak=true"), graph.add("abuffersink")
    source.link_to(measure)
    measure.link_to(sink)
    graph.configure()
    told: dict[str, str] = {}
    at = 0
    for block in blocks:
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block.T, np.float32), format="fltp", layout="stereo")
        frame.sample_rate, frame.pts = SOUND_RATE, at
        at += len(block)
        graph.push(frame)
        for each in _ready(graph):
            told = each or told
    graph.push(None)
    for each in _ready(graph):
        told = each or told
    lufs = float(told.get("lavfi.r128.I", -70.0))
    peaks = [float(value) for name, value in told.items() if name.startswith("lavfi.r128.true_peaks_ch")]
    peak = max(peaks, default=0.0)
    return Loudness(
        lufs=lufs if lufs > _SILENT_LUFS else None,
        range_lu=float(told.get("lavfi.r128.LRA", 0.0)),
        peak_db=float(20 * np.log10(peak)) if peak > 0 else None,
    )


def _ready(graph: av.filter.Graph) -> Iterator[dict[str, str]]:
    while True:
        try:
            frame = graph.pull()
        except (av.BlockingIOError, av.EOFError):
            return
        yield dict(frame.metadata)
