"""Processes of the application that begin with its libraries loaded: starting one from nothing takes seconds of a processor.

They are processes like any other, each with a database connection of its own, and can be killed.
"""

import multiprocessing
import os
import runpy
import signal
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
CONTEXT = multiprocessing.get_context("forkserver")
CONTEXT.set_forkserver_preload(
    ["hushcore.cli.warm", "hushcore.plates.propose", "av", "psycopg", "pydantic", "procrastinate", "uvicorn"]
)


class Forked:
    """What ``python WORDS`` is, with the methods of ``subprocess.Popen`` that the tests use."""

    def __init__(self, words: Sequence[str], env: dict[str, str], log: Path) -> None:
        self._process = CONTEXT.Process(target=_become, args=(list(words), env, str(log)), daemon=True)
        self._process.start()
        self.pid = self._process.pid

    def poll(self) -> int | None:
        return self._process.exitcode

    def wait(self, timeout: float | None = None) -> int:
        self._process.join(timeout)
        if self._process.exitcode is None:
            raise subprocess.TimeoutExpired("forked", timeout or 0)
        return self._process.exitcode

    def send_signal(self, number: int) -> None:
        if self.poll() is None and self.pid:
            os.kill(self.pid, number)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)


def _become(words: list[str], env: dict[str, str], log: str) -> None:
    out = os.open(log, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
    os.dup2(out, 1)
    os.dup2(out, 2)
    os.environ.clear()
    os.environ.update(env)
    os.chdir(ROOT)
    if words[0] == "-m":
        sys.argv = words[1:]
        runpy.run_module(words[1], run_name="__main__", alter_sys=True)
    else:
        sys.argv = list(words)
        sys.path.insert(0, str(ROOT / Path(words[0]).parent))
        runpy.run_path(words[0], run_name="__main__")
