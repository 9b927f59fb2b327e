"""Errors of the core and the store as answers that say what was wrong and what to do."""

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from psycopg.errors import DiskFull
from pydantic import BaseModel
from sqlalchemy.exc import DataError, OperationalError
from starlette.exceptions import HTTPException

from ashblend.core.formats.errors import FormatError
from ashblend.core.surface.refusal import Refusal
from ashblend.server.wording import told_of
from ashblend.store.errors import Missing, NothingToUndo, StaleRevision

REMEDIES = {
    408: "Send it again.",
    409: "Put that right first.",
    413: "Send something smaller.",
    422: "Correct it and try again.",
}


NO_ANSWER = (
    "The database does not answer.",
    "Nothing was changed. Try again; start Ash Blend anew if this stays.",
)


class Failure(BaseModel):
    """problem: what was wrong. remedy: what to do. kept: the revision kept, for stale writes."""

    problem: str
    remedy: str
    kept: int | None = None


def _answer(status: int, problem: str, remedy: str, kept: int | None = None) -> JSONResponse:
    return JSONResponse(Failure(problem=problem, remedy=remedy, kept=kept).model_dump(), status)


def add_failures(app: FastAPI) -> None:
    """Register a handler for each kind of error."""

    @app.exception_handler(FormatError)
    async def format_error(_: Request, error: FormatError) -> JSONResponse:
        return _answer(422, error.problem, error.remedy)

    @app.exception_handler(Refusal)
    async def refusal(_: Request, error: Refusal) -> JSONResponse:
        return _answer(409, error.problem, error.remedy)

    @app.exception_handler(Missing)
    async def missing(_: Request, error: Missing) -> JSONResponse:
        return _answer(404, str(error), "It may have been deleted in another window; go back and look again.")

    @app.exception_handler(StaleRevision)
    async def stale(_: Request, error: StaleRevision) -> JSONResponse:
        return _answer(
            409, str(error), "The newer version is being loaded; make your change again.", error.kept
        )

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return _answer(422, told_of(error.errors()), "Correct the value and try again.")

    @app.exception_handler(DataError)
    @app.exception_handler(UnicodeEncodeError)
    async def cannot_be_kept(_: Request, error: Exception) -> JSONResponse:
        # A zero character, half a character, or a number beyond what a column holds.
        return _answer(
            422,
            "The request holds text or a number that cannot be kept.",
            "Type it again without odd characters.",
        )

    @app.exception_handler(NothingToUndo)
    async def nothing(_: Request, error: NothingToUndo) -> JSONResponse:
        return _answer(409, str(error), "Look at the history again.")

    @app.exception_handler(HTTPException)
    async def refused(_: Request, error: HTTPException) -> JSONResponse:
        remedy = REMEDIES.get(error.status_code, "Check the address or go back to the start page.")
        return _answer(error.status_code, str(error.detail), remedy)

    @app.exception_handler(OperationalError)
    async def database_gone(request: Request, error: OperationalError) -> JSONResponse:
        if isinstance(error.orig, DiskFull):
            return _answer(
                507,
                "The disk is full.",
                "Nothing was changed. Make room on it, then try again.",
            )
        trouble = request.app.state.database_trouble()
        return _answer(503, *(trouble or NO_ANSWER))


FAILURES: dict[int | str, dict[str, object]] = {status: {"model": Failure} for status in (404, 409, 413, 422)}
