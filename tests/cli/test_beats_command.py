"""`beats`: as JSON, and of what cannot be heard."""

import json

from clevrin.demo.music import agreement, music
from tests.core.test_beats import written


def test_the_command_says_them_as_json(clevrin, tmp_path):
    samples, true = music((120,), 12, seed=4)
    written(tmp_path / "tune.wav", samples)
    code, said, _ = clevrin("beats", tmp_path / "tune.wav", "--json")
    values = json.loads(said)
    assert code == 0 and set(values) == {"tempo_bpm", "beats_s", "bars_s", "onsets_s"}
    assert agreement(tuple(values["beats_s"]), true) > 0.9
    code, _, err = clevrin("beats", tmp_path / "gone.wav")
    assert code == 1 and len(err.strip().splitlines()) == 1
