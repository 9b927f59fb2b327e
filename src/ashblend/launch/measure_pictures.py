"""Writes the pictures that measures are chosen from, for the page to ship."""

import sys
from pathlib import Path

from ashblend.core.formats.images import write_png
from ashblend.core.survey.pictures import picture
from ashblend.core.survey.registry import MEASURES

if __name__ == "__main__":
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    for kind in MEASURES:
        (folder / f"{kind}.png").write_bytes(write_png(picture(kind)))
