"""`python -m highhall.cli`."""

import sys

from highhall.cli import main

sys.exit(main())
