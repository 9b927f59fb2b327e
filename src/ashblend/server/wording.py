"""What Pydantic found wrong, in words that an artist can use."""

from collections.abc import Mapping, Sequence
from typing import Any

# By the kind of error; {x} is what Pydantic says of it.
WORDS = {
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "greater_than": "must be more than {gt}",
    "greater_than_equal": "must be at least {ge}",
    "less_than": "must be less than {lt}",
    "less_than_equal": "must be at most {le}",
    "string_too_short": "must have at least {min_length} characters",
    "string_too_long": "must have at most {max_length} characters",
    "too_short": "must have at least {min_length} entries",
    "too_long": "must have at most {max_length} entries",
    "literal_error": "must be one of {expected}",
    "enum": "must be one of {expected}",
    "finite_number": "must be a number that is finite",
    "json_invalid": "is not readable",
    "json_type": "is not readable",
}
# Errors whose own words are ours: raised by a validator of a document.
OURS = {"value_error", "assertion_error"}
KINDS = {
    "int": "must be a whole number",
    "float": "must be a number",
    "decimal": "must be a number",
    "bool": "must be yes or no",
    "string": "must be text",
    "uuid": "names something that cannot be found",
    "url": "is not an address",
    "list": "must be a list",
    "tuple": "must be a list",
    "dict": "is not what is needed here",
    "model": "is not what is needed here",
    "union": "is none of the kinds known here",
    "datetime": "must be a date",
}
# Parts of where an error was that say only how the request was read.
READ = ("body", "query", "path")


def _number(value: Any) -> Any:
    return f"{value:,.12g}" if isinstance(value, (int, float)) else value


def _said(error: Mapping[str, Any]) -> str:
    kind = str(error["type"])
    context = {name: _number(value) for name, value in error.get("ctx", {}).items()}
    if kind in OURS:
        return f"cannot be used: {context.get('error', error['msg'])}"
    if kind in WORDS:
        return WORDS[kind].format_map(context)
    return KINDS.get(kind.split("_", maxsplit=1)[0], "cannot be used")


def told_of(errors: Sequence[Mapping[str, Any]], about: str = "The request") -> str:
    """The first of Pydantic's errors as a sentence. about: what it is called when nothing in it is named."""
    first = errors[0]
    where = [str(part) for part in first["loc"] if part not in READ]
    # A union names the model that it tried; the artist's words are fields and numbers.
    named = " ".join(part.replace("_", " ") for part in where if part[:1].islower() or part.isdigit())
    said = _said(first).rstrip(".")
    return f"{named[:1].upper()}{named[1:]} {said}." if named else f"{about} {said}."
