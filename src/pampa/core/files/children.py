"""Work in a process of its own: asked for once, answered in several lines of JSON, the last with the result.

Children are forked from one process that has loaded what they need and has never seen a file. A child may be taken over
by what it reads, so what it says is read as JSON and never as a pickle.
"""

import json
import logging
import multiprocessing
import os
import tempfile
from collections.abc import Callable
from importlib import import_module
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from pampa.core.faults import ASKED

log = logging.getLogger(__name__)

LOADED = ["pampa.core.files.child", "pampa.core.files.seeking"]
"""Modules that are loaded once for all children."""
TOLD_OF_FAILURE, LONGEST = 4000, 1 << 28
Answer = dict[str, Any]
_parent: Connection | None = None


class ChildFailed(Exception):
    """The process came to an end without an answer: it crashed, or ran into a limit."""


def ask_child(module: str, asked: Any, progress: Callable[[str, float], None] = lambda doing, share: None) -> Answer:
    """Have `main` of a module run in a child with what it is `asked`, and return its answer.

    progress : told what the child does and how far it is; it may raise to stop, and then the child ends too.
    Raises ChildFailed where there is no answer; what the child printed goes into the log.
    """
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(LOADED)
    heard, told = context.Pipe(duplex=False)
    answer: Answer = {}
    with tempfile.NamedTemporaryFile("w+") as printed, heard:
        child = context.Process(target=_work, args=(module, asked, told, printed.name), daemon=True)
        child.start()
        told.close()
        try:
            while (line := _next(heard, child)) is not None:
                answer = line
                if "share" in answer:
                    progress(answer["doing"], answer["share"])
        except BaseException:
            child.kill()
            child.join()
            raise
        child.join()
        if not answer or "share" in answer:
            printed.seek(max(printed.seek(0, os.SEEK_END) - TOLD_OF_FAILURE, 0))
            log.warning("%s ended with %s: %s", module, child.exitcode, printed.read().strip())
            raise ChildFailed(f"{module} ended with {child.exitcode}.")
    return answer


def _next(heard: Connection, child: BaseProcess) -> Answer | None:
    """What the child says next, None at its end. One that says what no child of ours would is ended."""
    try:
        line = json.loads(heard.recv_bytes(LONGEST))
    except EOFError:
        return None
    except (OSError, ValueError):
        line = None
    if not isinstance(line, dict):
        child.kill()
        return None
    return line


def _work(module: str, asked: Any, told: Connection, printed: str) -> None:
    """In the child: what libraries print goes into a file."""
    global _parent
    _parent = told
    os.environ.pop(ASKED, None)
    with open(printed, "a") as file:
        os.dup2(file.fileno(), 1)
        os.dup2(file.fileno(), 2)
    import_module(module).main(asked)


def tell(doing: str, share: float) -> None:
    """In the child: how far it is."""
    _say({"doing": doing, "share": round(share, 3)})


def answer(**result: Any) -> None:
    """In the child: the last thing it says."""
    _say(result)


def _say(what: Answer) -> None:
    assert _parent is not None
    _parent.send_bytes(json.dumps(what).encode())
