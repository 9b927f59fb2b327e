"""All skies."""

from ashblend.core.light.document import SkyKind
from ashblend.core.light.skies.clear import CLEAR
from ashblend.core.light.skies.lamp import NIGHT_WITH_LAMP
from ashblend.core.light.skies.low_sun import LOW_SUN
from ashblend.core.light.skies.overcast import OVERCAST
from ashblend.core.light.skies.sky import Sky

SKIES: dict[SkyKind, Sky] = {
    "clear": CLEAR,
    "low sun": LOW_SUN,
    "overcast": OVERCAST,
    "lamp": NIGHT_WITH_LAMP,
}
