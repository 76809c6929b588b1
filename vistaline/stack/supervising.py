"""Processes that are watched by their pid: started again when they die, ended together."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from types import FrameType

from vistaline.core.confined import die_with_parent

__all__ = ["Service", "Supervisor"]

_PATIENCE = 60.0
_LOOK = 0.1
_STEADY = 60.0
"""Seconds after which a process that runs counts as sound, and its next restart is quick."""
_FIRST_PAUSE, _LONGEST_PAUSE = 0.25, 30.0


@dataclass(frozen=True, kw_only=True)
class Service:
    """A process: how it is started, and how one knows that it answers."""

    name: str
    command: list[str]
    environment: Mapping[str, str] | None = None
    user: str | None = None
    """The unix account it runs as; None for this one's."""
    says: bytes | None = None
    """What it reads from its standard input: settings that no list of processes shall show."""
    log: Path | None = None
    """None: where this process writes."""
    answers: Callable[[], bool] = lambda: True
    orphaned: signal.Signals = signal.SIGTERM
    """What the kernel sends it when the process that watches it is gone."""
    wind_down: float = 20.0
    """Seconds it may take to end when it is asked to."""


@dataclass
class _Running:
    service: Service
    process: subprocess.Popen[bytes]
    since: float
    restarts: int = 0
    pause: float = _FIRST_PAUSE
    again_at: float | None = None


class Supervisor:
    """Starts services, watches them, ends them in reverse order.

    Whatever ends the process that holds it, killing included, ends them too: each asks the
    kernel for a signal when its parent is gone. All are started from the main thread, as the
    kernel takes a thread's end for its parent's.
    """

    def __init__(self, status: Path | None = None) -> None:
        """``status`` is a file that tells how the services are, for :mod:`vistaline.web.health`."""
        self._status = status
        self._running: dict[str, _Running] = {}
        self._ending = self._watching = False

    def start(self, service: Service) -> None:
        """Start a service; returns when it answers.

        Raises
        ------
        SystemExit
            It ended, or did not answer in a minute.
        """
        self._running[service.name] = _Running(service, _spawn(service), time.monotonic())
        process = self._running[service.name].process
        deadline = time.monotonic() + _PATIENCE
        while not service.answers():
            if process.poll() is not None or time.monotonic() > deadline:
                where = f"; see {service.log}" if service.log else ""
                raise SystemExit(f"{service.name} did not start{where}.")
            time.sleep(0.05)
        self._tell()

    def pid(self, name: str) -> int:
        """Return the pid a service has now."""
        return self._running[name].process.pid

    def end_on_signals(self) -> None:
        """Let Ctrl-C, a closed terminal and a request to end all lead out of :meth:`watch`.

        Before that they raise SystemExit where the program is.
        """

        def end(number: int, frame: FrameType | None) -> None:
            self._ending = True
            if not self._watching:
                raise SystemExit(128 + number)  # something else is under way, such as the demo

        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, end)

    def watch(self) -> None:
        """Start again what dies, with growing pauses; returns when it is asked to end."""
        self._watching = True
        while not self._ending:
            for running in self._running.values():
                self._look_after(running)
            time.sleep(_LOOK)

    def _look_after(self, running: _Running) -> None:
        now = time.monotonic()
        if running.again_at is not None:
            if now >= running.again_at:
                running.again_at = None
                try:
                    running.process = _spawn(running.service)
                except OSError as error:
                    _say(f"{running.service.name} could not be started: {error.strerror}")
                    self._later(running)
                running.since = now
                self._tell()
            return
        code = running.process.poll()
        if code is None:
            if now - running.since > _STEADY:
                running.pause = _FIRST_PAUSE
            return
        running.restarts += 1
        self._later(running)
        _say(f"{running.service.name} ended with code {code}; it is started again.")
        self._tell()

    def _later(self, running: _Running) -> None:
        running.again_at = time.monotonic() + running.pause
        running.pause = min(2 * running.pause, _LONGEST_PAUSE)

    def stop(self) -> None:
        """End all services, the last started first."""
        for running in reversed(self._running.values()):
            process = running.process
            if process.poll() is None:
                process.send_signal(signal.SIGTERM)
                try:
                    process.wait(running.service.wind_down)
                except subprocess.TimeoutExpired:
                    process.kill()
            process.wait()
        self._running.clear()
        if self._status:
            self._status.unlink(missing_ok=True)

    def _tell(self) -> None:
        if self._status is None:
            return
        told = {
            name: {
                "pid": running.process.pid,
                "runs": running.again_at is None,
                "restarts": running.restarts,
            }
            for name, running in self._running.items()
        }
        beside = self._status.with_suffix(".new")
        try:
            beside.write_text(json.dumps(told))
            beside.replace(self._status)
        except OSError as error:
            _say(f"the state of the services could not be written: {error.strerror}")


def _spawn(service: Service) -> subprocess.Popen[bytes]:
    output = service.log.open("ab") if service.log else None
    try:
        process = subprocess.Popen(
            service.command,
            env=service.environment,
            stdin=subprocess.PIPE if service.says is not None else subprocess.DEVNULL,
            stdout=output,
            stderr=output,
            cwd="/" if service.user else None,
            # In a group of its own, so that Ctrl-C reaches it only through us. The account is
            # changed before the kernel is asked for a signal: changing it forgets that.
            start_new_session=True,
            user=service.user,
            group=service.user,
            extra_groups=[] if service.user else None,
            preexec_fn=partial(die_with_parent, service.orphaned),
        )
    finally:
        if output:
            output.close()
    if process.stdin and service.says is not None:
        try:
            process.stdin.write(service.says)
            process.stdin.close()
        except BrokenPipeError:
            pass  # it has ended already; whoever watches it sees that
    return process


def _say(words: str) -> None:
    try:
        sys.stderr.write(f"{words}\n")
        sys.stderr.flush()
    except OSError:
        pass  # the terminal is gone
