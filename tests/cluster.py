"""A scheduler and workers on this machine, each a process, as a user starts them."""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

from clevrin.core.render.export.remote import ROOT_NAME

HERE = Path(__file__).parents[1]


class Cluster:
    """A scheduler and its workers, as a user starts them."""

    def __init__(self, folder: Path, tls: tuple[str, ...] = ()) -> None:
        """`tls`: the words that name its certificates."""
        self.folder, self.root, self._tls = folder, folder / "theirs", tls
        self.root.mkdir()
        self._file = folder / "scheduler.json"
        self._processes = [self._start("distributed.cli.dask_scheduler", "--port", "0")]
        self._until(self._file.exists)
        self.workers: list[subprocess.Popen] = []

    @property
    def address(self) -> str:
        return str(json.loads(self._file.read_text())["address"])

    def add(self, count: int, **environment: str) -> None:
        args = ("--nthreads", "1", "--no-nanny", "--memory-limit", "0", "--local-directory", str(self.folder))
        for _ in range(count):
            self.workers.append(self._start("distributed.cli.dask_worker", *args, **environment))
        self._processes += self.workers[-count:]
        there = len(self._alive())
        from distributed import Client

        with Client(self.address, set_as_default=False) as client:
            client.wait_for_workers(there, timeout=60)

    def _alive(self) -> list[subprocess.Popen]:
        return [each for each in self.workers if each.poll() is None]

    def _start(self, module: str, *args: str, **environment: str) -> subprocess.Popen:
        own = {**os.environ, "XDG_CACHE_HOME": str(self.folder / "cache"), ROOT_NAME: str(self.root), **environment}
        command = [sys.executable, "-m", module, "--scheduler-file", str(self.folder / "scheduler.json")]
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        return subprocess.Popen([*command, "--no-dashboard", *self._tls, *args], cwd=HERE, env=own, **quiet)

    def close(self) -> None:
        for process in self._processes:
            process.kill()
            process.wait()

    @staticmethod
    def _until(done) -> None:
        end = time.monotonic() + 60
        while not done():
            assert time.monotonic() < end
            time.sleep(0.05)
