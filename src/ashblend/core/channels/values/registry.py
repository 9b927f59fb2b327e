"""All kinds of value. A new one is one new file and one line in VALUES."""

from ashblend.core.channels.values.kind import ValueKind
from ashblend.core.channels.values.weights import WEIGHTS

VALUES: dict[str, ValueKind] = {WEIGHTS.name: WEIGHTS}
