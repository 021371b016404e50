"""Lather's tests. `python -m tests` prepares the kernels once and runs all of them."""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
