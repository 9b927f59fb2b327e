"""python -m ashblend.launch"""

import sys

from ashblend.launch.command import main

sys.exit(main())
