"""A user without a plan raises nothing, and fills no memory."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

_MOST_MB = 700


@pytest.mark.soak
def test_a_user_without_a_plan_raises_nothing_and_fills_no_memory(tmp_path, warm_cache, times):
    seconds = times(4, 3600)
    places = {f"XDG_{kind}_HOME": str(tmp_path / kind.lower()) for kind in ("DATA", "CONFIG")}
    root = Path(__file__).parent.parent.parent
    result = subprocess.run(
        [sys.executable, "-X", "faulthandler", "-m", "tests.desk.random_user", tmp_path / "files", str(seconds), "7"],
        env={**os.environ, **places, "XDG_CACHE_HOME": str(warm_cache)},
        cwd=root,
        capture_output=True,
        text=True,
        timeout=seconds + 120,
    )
    assert result.returncode == 0, result.stderr[-3000:]
    found = json.loads(result.stdout.splitlines()[-1])
    assert not found["raised"], "\n".join(found["raised"][:5])
    assert "Traceback" not in result.stderr, result.stderr[-3000:]  # Qt only prints what is raised in painting
    assert sum(found["done"].values()) > seconds
    memory = [own for _, own, _ in found["memory_mb"]]
    assert max(memory) < _MOST_MB
    if seconds > 600:
        quarter = len(memory) // 4
        early, late = (sorted(part)[len(part) // 2] for part in (memory[quarter : 2 * quarter], memory[-quarter:]))
        assert late < 1.1 * early + 20, (early, late)
