"""Lather's tests. `python -m tests` prepares the kernels once and runs all of them."""

import atexit
import os
import tempfile

from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

settings.register_profile("lather", deadline=None)  # machines are noisy: no timed tests
settings.load_profile("lather")

# What the application keeps for the user goes to a folder that the run takes away again.
_home = tempfile.TemporaryDirectory()
atexit.register(_home.cleanup)
for _name in ("XDG_STATE_HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME"):
    os.environ[_name] = _home.name
