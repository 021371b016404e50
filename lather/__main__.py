"""``python -m lather`` is the ``lather`` command."""

import sys

from lather.cli.main import main

sys.exit(main())
