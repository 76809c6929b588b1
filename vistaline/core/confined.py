"""Work on what somebody brought in, done in a child process that may die without harm.

Libraries that read pictures, drawings, pages and fonts have faults, and files made to find them
are easily had. So nothing of that kind runs in a server: a child is forked from a small process
that has the libraries loaded, is given bounds that the kernel holds, and whatever becomes of it,
the caller gets an answer or a sentence.
"""

from __future__ import annotations

import ctypes
import errno
import logging
import os
import pickle
import resource
import signal
import tempfile
import threading
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing import get_context
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from vistaline.core.errors import CoreError, PictureError

__all__ = ["Bounds", "confined", "die_with_parent", "is_confined", "preload"]

_PRELOADED = ["vistaline.core.incoming", "vistaline.core.lettering"]
_AT_ONCE = threading.BoundedSemaphore(2)
"""Children a process may have at a time: their memory adds up."""
_BY_FILE = 1 << 20
"""Bytes from which an array comes back by way of a file instead of a pipe."""
_PR_SET_PDEATHSIG = 1
_log = logging.getLogger(__name__)
_inside = False

Result = TypeVar("Result")
_CONTEXT = get_context("forkserver")
_CONTEXT.set_forkserver_preload(_PRELOADED)


@dataclass(frozen=True, kw_only=True)
class Bounds:
    """What a child may use; the kernel ends it beyond."""

    memory: int = 1_000_000_000
    """Bytes, above what the libraries take."""
    seconds: int = 30
    """Of processor time."""
    output: int = 4_000_000_000
    """Bytes of any file it writes."""
    files: int = 64
    """Open at a time."""


def preload(*modules: str) -> None:
    """Have more modules loaded where children are forked; counts before the first is."""
    _CONTEXT.set_forkserver_preload([*_PRELOADED, *modules])


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

    ``work`` must be a function of a module, and what goes in and comes out picklable; a large
    array comes back memory-mapped. ``name`` is the file as the person knows it. Within a child
    the work is simply done.

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
        ours, theirs = _CONTEXT.Pipe(duplex=False)
        request = pickle.dumps((work, arguments, options))
        child = _CONTEXT.Process(
            target=_serve, args=(theirs, request, bounds, folder, os.getpid()), daemon=True
        )
        child.start()
        theirs.close()
        try:
            # Processor time is the kernel's to hold; this is for a child that waits for ever.
            answered = ours.poll(4 * bounds.seconds + 60)
            answer: tuple[str, Any] = ours.recv() if answered else ("late", None)
        except (EOFError, OSError):
            answer = ("died", None)
        finally:
            ours.close()
            if answer_is_late := child.is_alive() and not answered:
                child.kill()
            child.join()
        kind, told = answer
        if kind == "done":
            return _whole(told)  # type: ignore[no-any-return]
        if kind in ("refused", "disk"):
            raise told
        raise PictureError(name, _words(kind, told, child.exitcode, late=answer_is_late))


def _words(kind: str, told: Any, code: int | None, *, late: bool) -> str:
    if kind == "memory":
        reason = "it takes more memory to read than is allowed. Make it smaller or simpler."
    elif late or code == -signal.SIGXCPU:
        reason = "it takes too long to read. Make it smaller or simpler."
    elif kind == "fault":
        _log.error("a file that somebody brought in could not be read:\n%s", told)
        reason = "it is damaged in a way that is not understood here. Save or copy it again."
    else:
        _log.error("a child that read a file died with code %s", code)
        reason = (
            "reading it ended the program that reads files, so it is left alone. Save it again "
            "with another program."
        )
    return reason


@dataclass(frozen=True)
class _Stored:
    """An array that lies in a file."""

    path: str


def _whole(told: Any) -> Any:
    if isinstance(told, _Stored):
        # Copy on write: it may be changed, and its file is gone as soon as nobody uses it.
        return np.load(told.path, mmap_mode="c").view(np.ndarray)
    return told


def _serve(answers: Connection, request: bytes, bounds: Bounds, folder: str, parent: int) -> None:
    """Do the work, in the child."""
    global _inside
    _inside = True
    die_with_parent(signal.SIGKILL)
    _bind(bounds)
    try:
        work, arguments, options = pickle.loads(request)
        result = work(*arguments, **options)
        if isinstance(result, np.ndarray) and result.nbytes >= _BY_FILE:
            path = str(Path(folder) / "result.npy")
            np.save(path, result)
            result = _Stored(path)
        answers.send(("done", result))
    except CoreError as error:
        answers.send(("refused", error))
    except MemoryError:
        answers.send(("memory", None))
    except OSError as error:
        # A file that is not there or a full disk is nobody's picture's fault.
        ours = error.errno is not None and error.errno not in (errno.EFBIG, errno.EINVAL)
        answers.send(("disk", error) if ours else ("fault", traceback.format_exc()))
    except Exception as error:
        # OpenCV has an exception of its own for memory that is not there.
        short = "Insufficient memory" in str(error) or "bad_alloc" in str(error)
        answers.send(("memory", None) if short else ("fault", traceback.format_exc()))
    answers.close()
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


def die_with_parent(number: int = signal.SIGTERM) -> None:
    """Let the kernel send this process a signal when the one that started it ends (Linux)."""
    ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, number)
