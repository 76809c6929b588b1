"""Work on what somebody brought in, done in a child process that may die without harm.

Libraries that read pictures, drawings, pages and fonts have faults, and files made to find them
are easily had. So nothing of that kind runs in a server: a child is forked from a small process
that has the libraries loaded (the nursery), is given bounds that the kernel holds, and whatever
becomes of it, the caller gets an answer or a sentence.

Python's own ``multiprocessing`` is not used: its children would import the program's main module
anew, and Celery puts classes of its own in its place.
"""

from __future__ import annotations

import ctypes
import dataclasses
import errno
import importlib
import io
import logging
import os
import pickle
import resource
import selectors
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from vistaline.core.errors import CoreError, PictureError

__all__ = ["Bounds", "confined", "die_with_parent", "is_confined", "preload"]

_AT_ONCE = threading.BoundedSemaphore(2)
"""Children a process may have at a time: their memory adds up."""
_PR_SET_PDEATHSIG = 1
_log = logging.getLogger(__name__)
_inside = False
_preloaded = ["vistaline.core.formats.incoming", "vistaline.core.looks.lettering"]

Result = TypeVar("Result")


@dataclass(frozen=True, kw_only=True)
class Bounds:
    """What a child may use; the kernel ends it beyond."""

    memory: int = 1_000_000_000
    """Bytes, above what the libraries take."""
    seconds: int = 30
    """Of processor time; four times as long, and a minute, by the clock."""
    output: int = 4_000_000_000
    """Bytes of any file it writes."""
    files: int = 64
    """Open at a time."""


def preload(*modules: str) -> None:
    """Have more modules loaded where children are forked; counts before the first is."""
    _preloaded.extend(modules)


def is_confined() -> bool:
    """Whether this is such a child."""
    return _inside


def confined(
    work: Callable[..., Result],
    *arguments: Any,
    name: str,
    bounds: Bounds = Bounds(),
    **options: Any,
) -> Result:
    """Return what ``work(*arguments, **options)`` returns, having run it in a child.

    ``work`` must be a function of a module that has a name, and what goes in picklable. What
    comes out is plain values, fractions, data classes of the core, or one array, which comes back
    memory-mapped. ``name`` is the file as the person knows it. Within a child the work is simply
    done.

    Raises
    ------
    CoreError, OSError
        As ``work`` raises it; of the latter, what the disk is to blame for.
    PictureError
        The child died, used more than its bounds, or failed in a way nobody foresaw.
    """
    if _inside:
        return work(*arguments, **options)
    with _AT_ONCE, tempfile.TemporaryDirectory(prefix="vistaline-") as folder:
        request = pickle.dumps((work, arguments, options, bounds, folder))
        kind, told, code = _asked(request)
        if kind == "done":
            # Copy on write: an array may be changed, and its file is gone when nobody uses it.
            path = Path(folder) / _ARRAY
            return np.load(path, mmap_mode="c").view(np.ndarray) if told is _Array else told
        if kind in ("refused", "disk"):
            raise told
        raise PictureError(name, _words(kind, told, code))


def _asked(request: bytes) -> tuple[str, Any, int | None]:
    """Return what a child answers: of what kind, what, and with which code it ended."""
    kind, told, code = "died", None, None
    with _Nursery.child() as child:
        try:
            child.send_bytes(request)
            while code is None:
                frame = child.recv_bytes()
                if len(frame) == _CODE:  # the nursery's word; a child's own is longer
                    code = int.from_bytes(frame, "big", signed=True)
                else:
                    kind, told = _Answers(io.BytesIO(frame)).load()
        except (EOFError, OSError):
            pass  # the nursery died, too
        except Exception as error:
            _log.error("a child answered what nobody reads: %s", error)
            kind = "died"
    return kind, told, code


def _words(kind: str, told: Any, code: int | None) -> str:
    # Several libraries abort where memory is short, as that which draws PDF does.
    if kind == "memory" or code == -signal.SIGABRT:
        return "it takes more memory to read than is allowed. Make it smaller or simpler."
    if code in (-signal.SIGXCPU, -signal.SIGALRM):
        return "it takes too long to read. Make it smaller or simpler."
    if kind == "fault":
        _log.error("a file that somebody brought in could not be read:\n%s", told)
        return "it is damaged in a way that is not understood here. Save or copy it again."
    _log.error("a child that read a file died with code %s", code)
    return (
        "reading it ended the program that reads files, so it is left alone. Save it again with "
        "another program."
    )


# --- answers ----------------------------------------------------------------------------------

_ARRAY = "array.npy"
_CODE = 2
"""Bytes of a frame that tells with which code a child ended."""


class _Array:
    """Stands for an array that lies in a file."""


class _Answers(pickle.Unpickler):
    """Reads an answer; a child that a file has taken over can make nothing of it but data."""

    def find_class(self, module: str, name: str) -> Any:
        """Return a class an answer may hold."""
        if module.startswith("vistaline.core.") or module == "builtins":
            found = getattr(importlib.import_module(module), name, None)
            if isinstance(found, type) and (
                issubclass(found, CoreError | OSError | _Array) or dataclasses.is_dataclass(found)
            ):
                return found
            if (module, name) == ("vistaline.core.errors", "_rebuilt"):
                return found
        if (module, name) == ("fractions", "Fraction"):
            return Fraction
        raise pickle.UnpicklingError(f"{module}.{name} has no place in an answer")


# --- the nursery ------------------------------------------------------------------------------


class _Nursery:
    """The small process that children are forked from; there is one for each process that asks."""

    _lock = threading.Lock()
    _current: _Nursery | None = None

    def __init__(self) -> None:
        self.owner = os.getpid()
        self.control, theirs = socket.socketpair()
        program = (
            f"from vistaline.core.confined import nurse; nurse({theirs.fileno()}, {_preloaded!r})"
        )
        self.process = subprocess.Popen(
            [sys.executable, "-c", program],
            pass_fds=[theirs.fileno()],
            stdin=subprocess.DEVNULL,
            env=os.environ | {"PYTHONPATH": os.pathsep.join(path for path in sys.path if path)},
            start_new_session=True,  # Ctrl-C is its owner's to deal with
        )
        theirs.close()

    @classmethod
    def child(cls) -> Connection:
        """Return the line to a new child."""
        ours, theirs = socket.socketpair()
        with theirs:
            for attempt in (1, 2):
                with cls._lock:
                    nursery = cls._current
                    if nursery is None or nursery.owner != os.getpid():
                        nursery = cls._current = _Nursery()
                    try:
                        socket.send_fds(nursery.control, [b"c"], [theirs.fileno()])
                        break
                    except OSError:  # it died; another is begun
                        cls._current = None
                        nursery.control.close()
                        nursery.process.wait()
                        if attempt == 2:
                            raise
        return Connection(ours.detach())


def nurse(control: int, modules: list[str]) -> None:
    """Fork children for as long as whoever holds the other end of ``control`` lives.

    Each gets a line to its caller by a file descriptor; the nursery keeps it, too, to tell with
    which code the child ended.
    """
    for module in modules:
        importlib.import_module(module)
    import cv2
    from PIL import Image

    Image.init()  # its readers are imported when first one is looked for: here, not in each child
    # Threads would not be there after a fork, but what they hold would be.
    cv2.setNumThreads(0)
    line = socket.socket(fileno=control)
    woken, waker = os.pipe()
    os.set_blocking(waker, False)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    signal.set_wakeup_fd(waker)
    children: dict[int, Connection] = {}
    with selectors.DefaultSelector() as waiting:
        waiting.register(line, selectors.EVENT_READ)
        waiting.register(woken, selectors.EVENT_READ)
        while True:
            for key, _ in waiting.select():
                if key.fileobj == woken:
                    os.read(woken, 4096)
                    continue
                asked, lines, _, _ = socket.recv_fds(line, 1, 1)
                if not asked:
                    return
                pid = os.fork()
                if pid == 0:
                    signal.set_wakeup_fd(-1)
                    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                    line.close()
                    _serve(Connection(lines[0]))
                children[pid] = Connection(lines[0])
            _bury(children)


def _bury(children: dict[int, Connection]) -> None:
    """Tell of the children that have ended."""
    for pid in list(children):
        ended, status = os.waitpid(pid, os.WNOHANG)
        if not ended:
            continue
        with children.pop(pid) as caller:
            try:
                code = os.waitstatus_to_exitcode(status)
                caller.send_bytes(code.to_bytes(_CODE, "big", signed=True))
            except OSError:
                pass  # nobody waits for it any more


def _serve(caller: Connection) -> None:
    """Do the work, in the child; does not return."""
    global _inside
    _inside = True
    die_with_parent(signal.SIGKILL)
    # What libraries print of a damaged file, line upon line, is nothing for a log.
    nowhere = os.open(os.devnull, os.O_WRONLY)
    for stream in (1, 2):
        os.dup2(nowhere, stream)
    try:
        work, arguments, options, bounds, folder = pickle.loads(caller.recv_bytes())
        _bind(bounds)
        result = work(*arguments, **options)
        if isinstance(result, np.ndarray):
            np.save(Path(folder) / _ARRAY, result)
            result = _Array
        answer: tuple[str, Any] = ("done", result)
    except CoreError as error:
        answer = ("refused", error)
    except MemoryError:
        answer = ("memory", None)
    except OSError as error:
        # A file that is not there or a full disk is nobody's picture's fault.
        ours = error.errno is not None and error.errno not in (errno.EFBIG, errno.EINVAL)
        answer = ("disk", error) if ours else ("fault", traceback.format_exc())
    except BaseException as error:
        # OpenCV has an exception of its own for memory that is not there.
        short = "Insufficient memory" in str(error) or "bad_alloc" in str(error)
        answer = ("memory", None) if short else ("fault", traceback.format_exc())
    try:
        caller.send_bytes(pickle.dumps(answer))
    finally:
        os._exit(0)


def _bind(bounds: Bounds) -> None:
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    memory = pages * resource.getpagesize() + bounds.memory
    for what, most in (
        (resource.RLIMIT_AS, memory),
        (resource.RLIMIT_FSIZE, bounds.output),
        (resource.RLIMIT_NOFILE, bounds.files),
        (resource.RLIMIT_CORE, 0),
    ):
        resource.setrlimit(what, (most, most))
    # The soft bound ends it with SIGXCPU, which can be told from other deaths.
    resource.setrlimit(resource.RLIMIT_CPU, (bounds.seconds, bounds.seconds + 5))
    signal.alarm(4 * bounds.seconds + 60)


def die_with_parent(number: int = signal.SIGTERM) -> None:
    """Let the kernel send this process a signal when the one that started it ends (Linux)."""
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, number)
