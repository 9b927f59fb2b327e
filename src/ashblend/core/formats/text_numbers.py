"""Numbers written as text, read a million lines at a time.

Tried: splitting a text into words and giving those to NumPy takes 10 s for half a million OBJ vertices; the
kernels below 0.2 s.
"""

import numba
import numpy as np

from ashblend.core.arrays import F64, U8

SPACE, TAB, RETURN, LINE = 32, 9, 13, 10
PLUS, MINUS, POINT, ZERO, NINE = 43, 45, 46, 48, 57
UPPER_E, LOWER_E = 69, 101
# Powers of ten that a double holds exactly, so that one step of rounding is made.
EXACT = 22
MOST_DIGITS = 18


@numba.njit(cache=True, nogil=True, inline="always")
def is_blank(byte: int) -> bool:
    return byte == SPACE or byte == TAB or byte == RETURN  # noqa: PLR1714 - a tuple costs time here


@numba.njit(cache=True, nogil=True)
def skip_blanks(data: U8, at: int, end: int) -> int:
    while at < end and is_blank(data[at]):
        at += 1
    return at


@numba.njit(cache=True, nogil=True)
def begins_with(data: U8, at: int, end: int, word: U8) -> bool:
    """Whether a word of lower-case letters stands there, in either case."""
    if at + word.shape[0] > end:
        return False
    for k in range(word.shape[0]):  # noqa: SIM110 - numba knows no all()
        if data[at + k] | 32 != word[k]:
            return False
    return True


NAN = np.frombuffer(b"nan", np.uint8)
INF = np.frombuffer(b"inf", np.uint8)


@numba.njit(cache=True, nogil=True)
def read_number(data: U8, at: int, end: int) -> tuple[float, int]:
    """A decimal number and where it ends; at itself where there is none.

    Up to 18 digits are exact before they are scaled, by one multiplication or division for exponents up to 22:
    as near as a double comes but for its last place, and exact for nine digits of a float32. Larger exponents
    cost a last place more for every further 22.
    """
    begin = at
    sign = 1.0
    if at < end and (data[at] == MINUS or data[at] == PLUS):
        sign = -1.0 if data[at] == MINUS else 1.0
        at += 1
    digits, exponent, mantissa = 0, 0, np.uint64(0)
    seen = point = False
    while at < end:
        byte = data[at]
        if ZERO <= byte <= NINE:
            seen = True
            if digits < MOST_DIGITS:
                mantissa = np.uint64(mantissa * np.uint64(10) + np.uint64(byte - ZERO))
                if mantissa > 0:
                    digits += 1
                if point:
                    exponent -= 1
            elif not point:
                exponent += 1
        elif byte == POINT and not point:
            point = True
        else:
            break
        at += 1
    if not seen:
        if begins_with(data, at, end, NAN):
            return np.nan, at + 3
        if begins_with(data, at, end, INF):
            at += 3
            while at < end and (65 <= data[at] | 32 <= 122 and data[at] > 64):
                at += 1
            return sign * np.inf, at
        return 0.0, begin
    if at < end and (data[at] == LOWER_E or data[at] == UPPER_E):
        after = at + 1
        minus = after < end and data[after] == MINUS
        if after < end and (data[after] == MINUS or data[after] == PLUS):
            after += 1
        power, first = 0, after
        while after < end and ZERO <= data[after] <= NINE:
            power = min(10 * power + int(data[after]) - ZERO, 10_000)
            after += 1
        if after > first:
            exponent += -power if minus else power
            at = after
    value = float(mantissa)
    while exponent > 0 and value > 0 and value < np.inf:
        step = min(exponent, EXACT)
        value *= 10.0**step
        exponent -= step
    while exponent < 0 and value > 0:
        step = min(-exponent, EXACT)
        value /= 10.0**step
        exponent += step
    return sign * value, at


@numba.njit(cache=True, nogil=True)
def all_numbers(data: U8, at: int) -> tuple[F64, int]:
    """Numbers parted by blanks and ends of lines; and where the first word begins that is none, or −1."""
    end = data.shape[0]
    out = np.empty((end - at) // 2 + 1)
    count = 0
    while True:
        while at < end and (is_blank(data[at]) or data[at] == LINE):
            at += 1
        if at == end:
            return out[:count].copy(), -1
        value, after = read_number(data, at, end)
        if after == at or (after < end and not (is_blank(data[after]) or data[after] == LINE)):
            return out[:count].copy(), at
        out[count] = value
        count += 1
        at = after
