"""Segments on other machines: a scheduler and workers, each a process here; one of them dies, others lack something."""

import os
import shutil
import signal
import socket
import struct
import subprocess
import sys
import threading
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest

from clevrin.core.document import Hold, Project, Reel, Shot, Span
from clevrin.core.document.files import save
from clevrin.core.errors import CancelledError, ClevrinError, MediaError
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.export import remote, remote_door
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.export.path_mapping import away, here
from clevrin.core.render.export.remote import Machines
from clevrin.core.render.export.remote_door import Certificates, warning
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.cluster import Cluster
from tests.films import moving_film, numbered_film, shift


@pytest.fixture(scope="module")
def cluster(tmp_path_factory):
    made = Cluster(tmp_path_factory.mktemp("cluster"))
    made.add(3)
    yield made
    made.close()


@pytest.fixture(scope="module")
def project(tmp_path_factory, cluster) -> Project:
    """Two takes below a root of ours, of which workers have copies below theirs; one of them is held."""
    root = tmp_path_factory.mktemp("ours")
    (root / "day").mkdir()
    numbered_film(root / "day" / "one.mp4", frames=300, keyframes=30)
    moving_film(root / "day" / "two.mp4", lambda t: shift(400 + 3 * t, 300 + 2 * np.sin(t)), frames=40, size=(320, 180))
    shutil.copytree(root / "day", cluster.root / "day")
    one, two = (take_in(root / "day" / name) for name in ("one.mp4", "two.mp4"))
    shots = (
        Shot(take_id=one.id, span=Span(first=0, end=300)),
        Shot(take_id=two.id, span=two.whole, hold=Hold(how="float")),
    )
    return Project(takes=(one, two), reel=Reel(shots=shots, width=192, height=108))


def root_of(project: Project) -> Path:
    return Path(project.takes[0].path).parents[1]


@pytest.fixture
def sources(tmp_path):
    with Sources.of(Shelf(tmp_path / "shelf")) as made:
        yield made


@pytest.fixture(scope="module")
def made_here(project, tmp_path_factory) -> bytes:
    folder = tmp_path_factory.mktemp("here")
    with Sources.of(Shelf(folder / "shelf")) as sources:
        export_reel(ExportRequest(project=project, path=folder / "reel.mp4"), sources, Silent())
    return (folder / "reel.mp4").read_bytes()


class Kills:
    """Progress that does something to a worker when the first segment is there."""

    def __init__(self, do) -> None:
        self._do, self.done = do, False

    def report(self, done: int, total: int) -> None:
        if done and not self.done:
            self.done = True
            self._do()

    def cancelled(self) -> bool:
        return False


def test_a_reel_made_by_workers_is_the_one_made_here_though_one_dies(
    project, cluster, sources, made_here, tmp_path, monkeypatch
):
    used: list[str] = []
    with Machines(cluster.address, root_of(project)) as workers:
        workers.prepare(project, Silent())
        workers.measure(project, sources.measured, Silent())
        assert sources.measured.trace(project.takes[1]) is not None
        monkeypatch.setattr(remote, "make_segment", lambda *_: used.append("here"))
        dies = Kills(lambda: cluster.workers[0].send_signal(signal.SIGKILL))
        request = ExportRequest(project=project, path=tmp_path / "reel.mp4")
        export_reel(request, sources, dies, None, workers)
    assert dies.done and cluster.workers[0].wait() != 0 and not used
    assert (tmp_path / "reel.mp4").read_bytes() == made_here
    assert {each.name for each in tmp_path.iterdir()} == {"reel.mp4", "shelf"}


def test_what_workers_lack_is_said_before_anything_begins(project, cluster, sources, tmp_path, monkeypatch):
    request = ExportRequest(project=project, path=tmp_path / "reel.mp4")
    lost = cluster.root / "day" / "two.mp4"
    away_from = lost.rename(lost.with_suffix(".gone"))
    try:
        with (
            Machines(cluster.address, root_of(project)) as workers,
            pytest.raises(MediaError, match=r"2 of 2 workers cannot: tcp.*has no two\.mp4"),
        ):
            export_reel(request, sources, Silent(), None, workers)
    finally:
        away_from.rename(lost)
    monkeypatch.setattr(remote, "__version__", "9.9")
    with (
        Machines(cluster.address, root_of(project)) as workers,
        pytest.raises(MediaError, match=r"it has Clevrin 0\.1\.0, not 9\.9"),
    ):
        export_reel(request, sources, Silent(), None, workers)
    assert not (tmp_path / "reel.mp4").exists() and not list(tmp_path.glob(".clevrin*"))


def test_a_render_that_is_stopped_keeps_what_workers_made(project, cluster, sources, made_here, tmp_path):
    class Stops(Kills):
        def cancelled(self) -> bool:
            return self.done

    request = ExportRequest(project=project, path=tmp_path / "reel.mp4")
    with Machines(cluster.address, root_of(project)) as workers:
        workers.measure(project, sources.measured, Silent())
        with pytest.raises(CancelledError):
            export_reel(request, sources, Stops(lambda: None), None, workers)
        assert list(tmp_path.glob(".clevrin-*-parts/*.segment"))
        again = ExportRequest(project=project, path=tmp_path / "reel.mp4", resume=True)
        export_reel(again, sources, Silent(), None, workers)
    assert (tmp_path / "reel.mp4").read_bytes() == made_here


def test_the_command_renders_on_a_scheduler_and_says_where_nobody_answers(project, cluster, made_here, tmp_path):
    save(project, tmp_path / "p.clevrin")
    command = [sys.executable, "-m", "clevrin", "render", str(tmp_path / "p.clevrin"), "--out", str(tmp_path / "r.mp4")]
    environment = {**os.environ, "XDG_CACHE_HOME": str(tmp_path / "cache"), "CLEVRIN_ROOT": str(root_of(project))}

    def run(*words: str) -> subprocess.CompletedProcess:
        return subprocess.run([*command, *words], capture_output=True, text=True, env=environment, check=False)

    ran = run("--on", cluster.address, "--report", str(tmp_path / "r.html"))
    assert ran.returncode == 0, ran.stderr
    assert (tmp_path / "r.mp4").read_bytes() == made_here and "<h1>" in (tmp_path / "r.html").read_text()
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    ran = run("--on", f"tcp://127.0.0.1:{port}")
    assert ran.returncode == 1 and "Nobody answers at tcp://127.0.0.1" in ran.stderr
    assert "Traceback" not in ran.stderr


@pytest.mark.parametrize("greeting", [b"x", b"\xff" * 8, struct.pack("Q", 100), struct.pack("Q", 3) + b"abc"])
def test_what_answers_and_is_no_scheduler_is_told_in_time(monkeypatch, greeting):
    monkeypatch.setattr(remote_door, "ANSWERS_WITHIN_S", 0.5)
    with socket.create_server(("127.0.0.1", 0)) as other:
        met: list[socket.socket] = []

        def greet() -> None:
            with suppress(OSError):
                while True:
                    met.append(other.accept()[0])
                    met[-1].sendall(greeting)

        thread = threading.Thread(target=greet)
        thread.start()
        try:
            with pytest.raises(ClevrinError, match="Nobody answers"):
                Machines(f"tcp://127.0.0.1:{other.getsockname()[1]}")
        finally:
            other.shutdown(socket.SHUT_RDWR)
            thread.join()
            for each in met:
                each.close()


def test_a_way_that_others_can_reach_is_warned_of():
    assert all(warning(f"tcp://{host}:8786") is None for host in ("127.0.0.1", "localhost", "[::1]"))
    assert warning("tls://render.example:8786") is None
    told = warning("tcp://render.example:8786")
    assert told is not None and "render.example is open" in told and "\n" not in told


@pytest.mark.skipif(shutil.which("openssl") is None, reason="certificates are made by openssl")
def test_workers_are_reached_by_tls_and_by_nobody_without_a_certificate(tmp_path):
    def made(name: str, *more: str) -> tuple[str, str]:
        key, cert = str(tmp_path / f"{name}.key"), str(tmp_path / f"{name}.pem")
        words = ("req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:P-256", "-nodes", "-days", "2")
        subprocess.run(
            ["openssl", *words, "-subj", f"/CN={name}", "-keyout", key, "-out", cert, *more],
            check=True, capture_output=True,
        )  # fmt: skip
        return cert, key

    ca, ca_key = made("authority")
    by_it = ("-CA", ca, "-CAkey", ca_key, "-addext", "basicConstraints=critical,CA:FALSE")
    ours, stranger = made("ours", *by_it), made("stranger")
    folder = tmp_path / "cluster"
    folder.mkdir()
    cluster = Cluster(folder, tls=("--tls-ca-file", ca, "--tls-cert", ours[0], "--tls-key", ours[1]))
    own = Certificates(ca=Path(ca), cert=Path(ours[0]), key=Path(ours[1]))
    try:
        assert cluster.address.startswith("tls://")
        with pytest.raises(ClevrinError, match="has no workers"):  # so far they have understood each other
            Machines(cluster.address, None, own)
        with pytest.raises(ClevrinError, match=r"is not trusted, or does not trust us|Nobody answers"):
            Machines(cluster.address, None, Certificates(ca=Path(ca), cert=Path(stranger[0]), key=Path(stranger[1])))
        with pytest.raises(ClevrinError, match="is not trusted, or does not trust us"):
            Machines(cluster.address, None, Certificates(ca=Path(stranger[0]), cert=own.cert, key=own.key))
        with pytest.raises(ClevrinError, match="give --tls-ca"):
            Machines(cluster.address)
        with pytest.raises(ClevrinError, match="is an open way"):
            Machines(cluster.address.replace("tls", "tcp"), None, own)
        with pytest.raises(ClevrinError, match="Nobody answers"):
            Machines(cluster.address.replace("tls", "tcp"))
    finally:
        cluster.close()


def test_what_is_no_scheduler_is_told(tmp_path, monkeypatch):
    monkeypatch.setattr(remote_door, "ANSWERS_WITHIN_S", 0.5)
    for address in ("nonsense://x", "tcp://somewhere", "127.0.0.1:8786", "tcp://x:no", "tcp://["):
        with pytest.raises(ClevrinError, match="no address of a scheduler"):
            Machines(address)
    with socket.create_server(("127.0.0.1", 0)) as other, pytest.raises(ClevrinError, match="Nobody answers"):
        Machines(f"tcp://127.0.0.1:{other.getsockname()[1]}")  # something listens, and says nothing


def test_a_scheduler_without_workers_is_told(tmp_path):
    empty = Cluster(tmp_path)
    try:
        with pytest.raises(ClevrinError, match="has no workers"):
            Machines(empty.address)
    finally:
        empty.close()


def test_files_are_named_from_one_root_and_found_under_another(project, tmp_path):
    sent = away(project.takes, root_of(project))
    assert [each.path for each in sent] == ["{root}/day/one.mp4", "{root}/day/two.mp4"]
    theirs = here(sent, tmp_path)
    assert [each.path for each in theirs] == [str(tmp_path / "day" / name) for name in ("one.mp4", "two.mp4")]
    assert here(sent, root_of(project)) == project.takes
    assert away(project.takes, None) is project.takes and away(project.takes, tmp_path) is project.takes
