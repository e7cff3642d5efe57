"""What an operating system refuses, in words that say what to do."""

from __future__ import annotations

import errno

_REFUSED = {
    errno.ENOENT: "is not there and cannot be made",
    errno.EEXIST: "is there already, and is of another kind",
    errno.ENOTDIR: "is a file where a folder is wanted",
    errno.EISDIR: "is a folder where a file is wanted",
    errno.EACCES: "may not be used: see who owns it and who may read and write it",
    errno.EPERM: "may not be used: see who owns it and who may read and write it",
    errno.EROFS: "is on a disk that may only be read",
    errno.ENOSPC: "does not fit: the disk is full",
    errno.EDQUOT: "does not fit: the disk's quota is used up",
    errno.EMFILE: "cannot be opened: too many files are open (raise the limit, ulimit -n)",
    errno.ENFILE: "cannot be opened: this machine has too many files open",
    errno.ENOMEM: "cannot be opened: this machine has no memory left",
    errno.EAGAIN: "cannot be begun: this machine has no room for another process",
}


def os_words(error: OSError) -> str:
    """What the system refused, with the path where there is one."""
    words = _REFUSED.get(error.errno or 0, "cannot be used on this machine")
    return f"{error.filename or 'what is needed'} {words}"
