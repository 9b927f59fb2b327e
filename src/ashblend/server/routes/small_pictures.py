"""Small pictures that pages draw, on their way in and out."""

from fastapi import Request, Response

from ashblend.core.surface.refusal import Refusal

MOST_PICTURE = 60_000


async def sent_picture(request: Request) -> bytes:
    """A small picture (WebP, PNG or JPEG) that a page drew. Raises Refusal."""
    declared = request.headers.get("content-length", "0")
    data = await request.body() if declared.isdigit() and int(declared) <= MOST_PICTURE else b""
    if not 0 < len(data) <= MOST_PICTURE:
        raise Refusal("The picture is too large.", f"At most {MOST_PICTURE // 1000} KB are kept.")
    if not data.startswith((b"RIFF", b"\x89PNG", b"\xff\xd8")):
        raise Refusal("This is not a picture.", "Send WebP, PNG or JPEG.")
    return data


def picture_answer(data: bytes, cached: str) -> Response:
    """cached: what caches are told."""
    kind = "image/webp" if data.startswith(b"RIFF") else "image/png"
    return Response(data, media_type=kind, headers={"cache-control": cached})
