"""Work in a process of its own: asked for in one line of JSON, answered in several, the last with the result."""

import json
import logging
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from typing import Any

from pampa.core.faults import ASKED

log = logging.getLogger(__name__)

TOLD_OF_FAILURE = 4000
Answer = dict[str, Any]


class ChildFailed(Exception):
    """The process came to an end without an answer: it crashed, or ran into a limit."""


def ask_child(module: str, asked: Any, progress: Callable[[str, float], None] = lambda doing, share: None) -> Answer:
    """Have `module` run as a program, give it `asked`, and return its answer.

    progress : told what the child does and how far it is; it may raise to stop, and then the child ends too.
    Raises ChildFailed where there is no answer; what the child printed as errors goes into the log.
    """
    command = [sys.executable, "-m", module]
    environment = {name: value for name, value in os.environ.items() if name != ASKED}
    with (
        tempfile.TemporaryFile("w+") as errors,
        subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=errors, text=True, env=environment
        ) as child,
    ):
        assert child.stdin is not None
        assert child.stdout is not None
        answer: Answer = {}
        try:
            json.dump(asked, child.stdin)
            child.stdin.close()
            for line in child.stdout:
                answer = json.loads(line)
                if "share" in answer:
                    progress(answer["doing"], answer["share"])
        except BrokenPipeError:
            pass  # it ended before it had read everything: it has not answered either
        except BaseException:
            child.kill()
            raise
        child.wait()
        if not answer or "share" in answer:
            errors.seek(max(errors.seek(0, os.SEEK_END) - TOLD_OF_FAILURE, 0))
            log.warning("%s ended with %s: %s", module, child.returncode, errors.read().strip())
            raise ChildFailed(f"{module} ended with {child.returncode}.")
    return answer


def asked() -> Any:
    """In the child: what it was asked."""
    return json.load(sys.stdin)


def tell(doing: str, share: float) -> None:
    """In the child: how far it is."""
    print(json.dumps({"doing": doing, "share": round(share, 3)}), flush=True)


def answer(**result: Any) -> None:
    """In the child: the last thing it says."""
    print(json.dumps(result), flush=True)
