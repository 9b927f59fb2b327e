"""Files of heights as the one file that is kept: itself, or a plain zip of the regions."""

import io
import zipfile

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.formats.unzip import unzipped


def packed_files(files: dict[str, bytes], limits: Limits) -> tuple[str, bytes]:
    """Name and bytes of one file. A zip that was dropped is looked into here, so that it is sound. Raises FormatError."""
    if len(files) == 1:
        ((name, data),) = files.items()
        if not name.lower().endswith(".zip"):
            return name, data
        inside = unzipped(name, data, limits, Budget(len(data)))
        files = {
            n.rsplit("/", 1)[-1]: part
            for n, part in inside.items()
            if not n.rsplit("/", 1)[-1].startswith(".")
        }
        if not files:
            raise FormatError(f"{name} is empty.", "Pack the regions into it.")
        if len(files) == 1:
            return next(iter(files.items()))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in sorted(files.items()):
            archive.writestr(zipfile.ZipInfo(name), data)
    return f"{_common(list(files))}.zip", out.getvalue()


def _common(names: list[str]) -> str:
    """What the names of regions begin with alike."""
    first, last = min(names), max(names)
    length = next((i for i, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), len(first))
    return first[:length].rstrip("0123456789_-. xyrcXYRC") or "Regions"


def unpacked_files(name: str, data: bytes) -> dict[str, bytes]:
    """The way back."""
    if not name.lower().endswith(".zip"):
        return {name: data}
    return unzipped(name, data, Limits(), Budget(len(data)))
