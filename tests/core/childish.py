"""What a child process may do, well or badly."""

import os
import signal
import sys
import time

from pampa.core.faults import ASKED
from pampa.core.files import children


def main(asked: str) -> None:
    if asked == "environment":
        children.answer(seen=os.environ.get(ASKED), pid=os.getpid())
    elif asked == "crash":
        print("the lead line parted", file=sys.stderr, flush=True)
        os.kill(os.getpid(), signal.SIGSEGV)
    elif asked == "half":
        children.tell("Reading", 0.5)
    elif asked == "babble":
        children._parent.send_bytes(b"{no json")
        time.sleep(60)
    elif asked == "raise":
        raise ValueError("a knot")
    else:
        children.tell("Reading", 0.1)
        time.sleep(60)
