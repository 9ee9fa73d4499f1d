"""What all tests share: folders of their own, the demo's takes, and their measurements made once on a machine."""

import fcntl
import gc
import json
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import hypothesis
import pytest

os.environ.setdefault("QT_QPA_PLATFORM", f"offscreen:configfile={Path(__file__).parent / 'offscreen.json'}")
if "PYTEST_XDIST_WORKER" in os.environ:
    # Each worker has a core: more threads than that would only be in each other's way.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    cv2.setNumThreads(1)

from clevrin.core.document import Take
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.judging import true_motions
from clevrin.demo.measured import lay_out
from clevrin.demo.scenes import SCENES
from tests.costs import Costs

TAKES = tuple(scene.name for scene in SCENES)


# Every run tries the same, so that a change is judged by what it changed; what is new is tried where it is soaked.
# Nothing is late on a machine whose time is taken away for a while.
hypothesis.settings.register_profile("same", derandomize=True, deadline=None)
hypothesis.settings.register_profile("other", deadline=None)


def pytest_configure(config: pytest.Config) -> None:
    config.pluginmanager.register(Costs(config.getoption("--costs")))
    hypothesis.settings.load_profile("other" if config.getoption("--soak") else "same")


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--soak", action="store_true", help="Goes through what is random a hundred times as often.")
    parser.addoption("--costs", type=Path, help="Writes to this file what each test took of the processor.")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """What is marked as long is left to the long versions: every later change waits for this run."""
    if not config.getoption("--soak"):
        config.hook.pytest_deselected(items=[item for item in items if item.get_closest_marker("long")])
        items[:] = [item for item in items if not item.get_closest_marker("long")]


@pytest.fixture
def times(request: pytest.FixtureRequest):
    """How often something is done: so often, or so often when the tests soak."""

    def chosen(usual: int, soaking: int) -> int:
        return soaking if request.config.getoption("--soak") else usual

    return chosen


@contextmanager
def _alone(lock: Path) -> Iterator[None]:
    """Only one process of this run is in here at a time."""
    with lock.open("w") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield


@pytest.fixture(scope="session")
def warm_cache(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A cache folder in which the demo's takes are measured already, as they ship: one for all workers of a run.

    What tests measure beside that is measured once in a run, by the code as it is.
    """
    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "warm"
    folder.mkdir(exist_ok=True)
    with _alone(folder / "lock"):
        lay_out(Shelf(folder / "clevrin"))
    return folder


@pytest.fixture(scope="session")
def warm_store(warm_cache: Path) -> MeasurementStore:
    """What is measured of the demo's takes, in memory for all windows of this run."""
    return MeasurementStore(Shelf(warm_cache / "clevrin"))


@pytest.fixture(autouse=True)
def own_folders(tmp_path: Path, tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test sees or leaves anything in the user's folders."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    config = tmp_path_factory.mktemp("config")
    monkeypatch.setenv("XDG_CONFIG_HOME", str(config))
    # Proxies are made by the tests that are about them: in all others they would only take time.
    (config / "clevrin").mkdir()
    (config / "clevrin" / "settings.json").write_text('{"values": {"proxies": false}, "keys": {}}')


@pytest.fixture
def measured_demo(warm_cache: Path, monkeypatch: pytest.MonkeyPatch) -> Shelf:
    """The demo's takes are measured: the shelf that has them, which is also the user's own one."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(warm_cache))
    return Shelf()


@pytest.fixture
def demo_take():
    def take(name: str) -> Take:
        return take_in(FOOTAGE / f"{name}.mp4")

    return take


@pytest.fixture
def demo_trace(measured_demo: Shelf):
    def trace(name: str, model: str = "auto") -> Trace:
        return trace_take(TraceRequest(path=FOOTAGE / f"{name}.mp4", model=model), measured_demo, Silent())

    return trace


@pytest.fixture(scope="session")
def truth():
    """The true motion of a demo take: its truth file with the homographies as an array (frames, 3, 3)."""

    def read(name: str) -> dict:
        data = json.loads((FOOTAGE / f"{name}.truth.json").read_text())
        data["H"] = true_motions(FOOTAGE / f"{name}.truth.json")
        return data

    return read


@pytest.fixture(autouse=True)
def no_leaked_threads():
    """A test that leaves a thread running fails."""
    before = set(threading.enumerate())
    yield
    if set(threading.enumerate()) - before:
        gc.collect()  # what nobody closed may still be closed by its end
    left = [t for t in threading.enumerate() if t not in before and t.is_alive() and not t.name.startswith("pytest")]
    for thread in left:
        thread.join(2)
    assert not [t for t in left if t.is_alive()], "threads were left running"
