"""How the sample's surfaces are seen first, and the lights that its project keeps. Composed by hand.

Their small pictures for the start page were drawn by the Studio from these very views (`./ash screenshots` draws them anew), so
that nobody need open a surface to see it.
"""

from pathlib import Path
from uuid import UUID

from sqlalchemy.orm import Session

from ashblend.core.light.document import Light
from ashblend.core.light.sight import Sight, Stand
from ashblend.store.lights import keep_light, mark_place, write_sight
from ashblend.store.snapshots import put_last_view

PICTURES = Path(__file__).parent / "pictures"

# Rakes over the setts and lets the wall throw its steps across the deck.
RAKING = Light(sky="clear", azimuth=248.0, tilt=30.0, haze=1.2, angle=1.2, white=0.6, exposure=0.15)
EVENING = Light(sky="low sun", azimuth=250.0, tilt=16.0, haze=1.6, angle=1.5, white=0.45, exposure=0.2)
OVERCAST = Light(sky="overcast", azimuth=221.0, tilt=55.0, haze=1.0, angle=30.0, white=1.0)
LAMP = Light(sky="lamp", azimuth=138.0, tilt=36.0, haze=1.0, angle=2.0, white=0.5, exposure=-0.8)
# From behind one's shoulder, through the petals.
THROUGH_PETALS = Light(sky="clear", azimuth=312.0, tilt=30.0, haze=1.4, angle=1.0, white=0.65, exposure=0.35)

KEPT = {"Raking sun": RAKING, "Evening": EVENING, "Overcast": OVERCAST, "Lamp at night": LAMP}

SIGHTS = {
    "Slipway": Sight(light=RAKING, stand=Stand(target=(-0.5, 0.3, 1.6), distance=16.5, turn=0.55, tilt=0.22)),
    "Mooring post": Sight(
        light=EVENING, stand=Stand(target=(0.12, 0.9, 0.0), distance=3.5, turn=0.35, tilt=0.1)
    ),
    "Sea-thrift tuft": Sight(
        light=THROUGH_PETALS, stand=Stand(target=(0.0, 0.095, 0.0), distance=0.47, turn=0.4, tilt=0.2)
    ),
    "Skerry": Sight(
        light=EVENING, stand=Stand(target=(0.0, 18.0, 40.0), distance=720.0, turn=0.62, tilt=0.11)
    ),
}

MARKS = {
    "Slipway": {
        "Setts and wrack": Stand(target=(0.6, -0.4, 4.4), distance=5.2, turn=0.75, tilt=0.42),
        "Along the wall": Stand(target=(-3.2, 1.0, -1.0), distance=8.0, turn=0.16, tilt=0.14),
    },
    "Skerry": {
        "From above": Stand(target=(0.0, 20.0, 0.0), distance=1500.0, turn=0.62, tilt=0.75),
        "The beach": Stand(target=(206.0, 4.0, 228.0), distance=60.0, turn=0.9, tilt=0.2),
    },
}


def compose(session: Session, project: UUID, surfaces: dict[str, UUID]) -> None:
    """Give surfaces, by name, their first views, and the project its lights."""
    for name, light in KEPT.items():
        keep_light(session, project, name, light)
    for name, sight in SIGHTS.items():
        write_sight(session, surfaces[name], sight)
        put_last_view(session, surfaces[name], (PICTURES / f"{name}.webp").read_bytes())
    for name, marks in MARKS.items():
        for mark, stand in marks.items():
            mark_place(session, surfaces[name], mark, stand)
