"""``python -m lather`` is the ``lather`` command."""

import sys

from lather.start import main

sys.exit(main())
