"""The commands with one starting material: to make all of them takes fourteen seconds of a processor, at every first
start on a folder.
"""

import sys

from ashblend.demo.materials import MATERIALS
from ashblend.launch.command import main

for name in list(MATERIALS)[1:]:
    del MATERIALS[name]

sys.exit(main())
