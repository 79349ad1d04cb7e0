"""What a child process may do: limits on memory and time, and, where the kernel has Landlock, on files and network.

Sources: setrlimit(2); Landlock, landlock(7) and the kernel's documentation of its system calls.
"""

import ctypes
import os
import resource
import struct
import sys
from collections.abc import Iterable
from pathlib import Path

CREATE_RULESET, ADD_RULE, RESTRICT_SELF = 444, 445, 446
"""System calls, of the same number on every processor."""
NO_NEW_PRIVILEGES = 38
PATH_BENEATH = 1
READ_FILE, READ_FOLDER, WRITE_FILE = 1 << 2, 1 << 3, 1 << 1
ALL_BY_VERSION = {1: (1 << 13) - 1, 2: (1 << 14) - 1, 3: (1 << 15) - 1, 5: (1 << 16) - 1}
"""Rights over files that a version of Landlock knows, as bits."""
OF_FILES = (1 << 0) | READ_FILE | WRITE_FILE | (1 << 14) | (1 << 15)
"""Rights that make sense for a file and not only for a folder."""
NETWORK = 0b11
SYSTEM = ("/usr", "/lib", "/lib64", "/etc/ld.so.cache", "/proc/self", "/proc/cpuinfo", "/sys/devices/system/cpu",
          "/dev/null", "/dev/urandom")  # fmt: skip
"""What programs are made of, to be read: further parts of libraries are loaded when they are first used."""


def confine(*, reads: Iterable[Path], writes: Iterable[Path], memory: int, cpu_s: int, file_bytes: int) -> bool:
    """Give up, for the rest of this process, all that a decoder or parser has no use for.

    reads, writes : files and folders that may still be read, and folders that may be written in. Returns whether the
    kernel holds it to that; the limits on memory (bytes), processor time (s) and the size of files always hold.
    """
    limits = {
        resource.RLIMIT_AS: memory, resource.RLIMIT_CPU: cpu_s, resource.RLIMIT_FSIZE: file_bytes,
        resource.RLIMIT_CORE: 0,
    }  # fmt: skip
    for kind, most in limits.items():
        _, hard = resource.getrlimit(kind)
        least = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(kind, (least, least))
    own = [Path(sys.prefix), Path(sys.base_prefix), Path(__file__).parents[2]]
    readable = [path for path in (*map(Path, SYSTEM), *own, *reads) if path.exists()]
    return _landlock(readable, list(writes))


def _landlock(reads: list[Path], writes: list[Path]) -> bool:
    libc = ctypes.CDLL(None, use_errno=True)
    version = libc.syscall(CREATE_RULESET, None, 0, 1)
    if version < 1:
        return False
    rights = ALL_BY_VERSION[max(known for known in ALL_BY_VERSION if known <= version)]
    told = struct.pack("QQQ", rights, NETWORK, 0)[: 8 if version < 4 else 16 if version < 6 else 24]
    rules = libc.syscall(CREATE_RULESET, told, len(told), 0)
    if rules < 0:
        return False
    try:
        for paths, allowed in ((reads, READ_FILE | READ_FOLDER), (writes, rights)):
            for path in paths:
                _allow(libc, rules, path, allowed if path.is_dir() else allowed & OF_FILES & rights)
        libc.prctl(NO_NEW_PRIVILEGES, 1, 0, 0, 0)
        return bool(libc.syscall(RESTRICT_SELF, rules, 0) == 0)
    finally:
        os.close(rules)


def _allow(libc: ctypes.CDLL, rules: int, path: Path, rights: int) -> None:
    handle = os.open(path, os.O_PATH)
    try:
        libc.syscall(ADD_RULE, rules, PATH_BENEATH, struct.pack("=Qi", rights, handle), 0)
    finally:
        os.close(handle)
