"""Compiled kernels on disk.

A kernel is compiled anew when its own file has changed, but not when a file has whose functions are built into it. So
all are dropped when any source has changed.
"""

import hashlib
from pathlib import Path

_ROOT = Path(__file__).parent
_STAMP = _ROOT / "__pycache__" / "kernels.sha256"


def drop_stale_kernels() -> int:
    """Delete all compiled kernels if they are of other sources; return how many. To be called before any is loaded."""
    digest = hashlib.sha256()
    for path in sorted(_ROOT.rglob("*.py")):
        digest.update(path.read_bytes())
    if _STAMP.exists() and _STAMP.read_text() == digest.hexdigest():
        return 0
    stale = list(_ROOT.rglob("*.nb[ic]"))
    for path in stale:
        path.unlink(missing_ok=True)
    _STAMP.parent.mkdir(exist_ok=True)
    _STAMP.write_text(digest.hexdigest())
    return len(stale)


if __name__ == "__main__":
    drop_stale_kernels()
