"""Zip archives as they come in: looked at before they are unpacked."""

import io
import lzma
import struct
import zipfile
import zlib

from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError, Limits

MOST_FILES = 500


def unzipped(name: str, data: bytes, limits: Limits, budget: Budget) -> dict[str, bytes]:
    """The files in a zip by their names. Raises FormatError for one that cannot be unpacked, or to too much."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = [e for e in archive.infolist() if not e.is_dir()]
            if len(entries) > MOST_FILES or sum(e.file_size for e in entries) > limits.file_bytes:
                raise FormatError(
                    f"{name} holds {len(entries):,} files; at most {MOST_FILES} and "
                    f"{limits.file_bytes / 1e6:.0f} MB in all are unpacked.",
                    "Leave out what does not belong to the mesh.",
                )
            budget.take(sum(e.file_size for e in entries), name)
            out = {}
            for entry in entries:
                with archive.open(entry) as part:
                    # What an entry says of its size need not be true.
                    out[entry.filename] = part.read(entry.file_size + 1)[: entry.file_size]
            return out
    except FormatError:
        raise
    except (
        zipfile.BadZipFile, zlib.error, lzma.LZMAError, struct.error, NotImplementedError, RuntimeError, EOFError,
        OSError, ValueError, IndexError, OverflowError, MemoryError,
    ) as error:  # fmt: skip
        raise FormatError(f"{name} cannot be unpacked.", "Pack it again, without a password.") from error
