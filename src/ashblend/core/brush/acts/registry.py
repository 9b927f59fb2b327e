"""All acts of a stroke. A new one is one new file and one line in ACTS."""

from ashblend.core.brush.acts.add import ADD, SUBTRACT
from ashblend.core.brush.acts.erase import ERASE
from ashblend.core.brush.acts.paint import PAINT
from ashblend.core.brush.acts.protocol import Act
from ashblend.core.brush.acts.sampled import SAMPLED
from ashblend.core.brush.acts.sharpen import SHARPEN
from ashblend.core.brush.acts.smear import SMEAR
from ashblend.core.brush.acts.smooth import SMOOTH
from ashblend.core.brush.document import ActName, Brush

ACTS: dict[ActName, Act] = {
    "paint": PAINT,
    "erase": ERASE,
    "add": ADD,
    "subtract": SUBTRACT,
    "smooth": SMOOTH,
    "sharpen": SHARPEN,
    "smear": SMEAR,
    "sampled": SAMPLED,
}


def act_of(brush: Brush) -> tuple[Act, Brush]:
    """The act a brush does and the brush to do it with, lowering where it would raise when flipped."""
    act = ACTS[brush.act]
    if not brush.flipped:
        return act, brush
    flipped = brush.model_copy(update={"act": act.flips_to, "flipped": False})
    if act.flips_to == brush.act:
        flipped = flipped.model_copy(update={"target": 1 - brush.target})
    return ACTS[act.flips_to], flipped
