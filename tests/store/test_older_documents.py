"""Documents that an older version stored: read as they were meant, wherever they stand."""

import numpy as np
from samples import small_project

from ashblend.core.blend.document import BlendDocument
from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.recipe.sources.facing import FacingSource
from ashblend.core.survey.cavity import CavityMeasure
from ashblend.core.survey.edges import EdgesMeasure
from ashblend.server.live import probe
from ashblend.server.live.messages import Probe
from ashblend.session.surface import OpenSurface
from ashblend.store.models import Blend


def shares_at(surface: OpenSurface, sample) -> list[float]:
    asked = Probe(number=1, channel_set=sample.channel_set, triangle=5, barycentric=(0.2, 0.3, 0.5), radius=0.1,
                  reach="ball", facing_limit=180)  # fmt: skip
    return [layer.share for layer in probe.core_sample(surface, asked).layers]


def test_a_bearing_that_was_counted_from_the_other_side_means_the_same_direction(db):
    """Facing was told from +z toward +x, and its tilt was called an elevation."""
    for turned, tilt in ((0.0, 0.0), (62.0, 26.0), (-30.0, 80.0), (200.0, -10.0), (-360.0, 5.0)):
        a, e = np.radians(turned), np.radians(tilt)
        meant = [np.sin(a) * np.cos(e), np.sin(e), np.cos(a) * np.cos(e)]
        now = FacingSource.model_validate({"kind": "facing", "azimuth": turned, "elevation": tilt})
        b, t = np.radians(now.azimuth), np.radians(now.tilt)
        np.testing.assert_allclose(
            [np.sin(b) * np.cos(t), np.sin(t), -np.cos(b) * np.cos(t)], meant, atol=1e-12
        )
    assert FacingSource.model_validate({"kind": "facing", "elevation": 10}).azimuth == 180
    assert CavityMeasure.model_validate({"kind": "cavity", "metres": 0.02, "passes": 4}).metres == 0.04
    assert CavityMeasure.model_validate({"kind": "cavity", "metres": 0.02, "passes": 0}).metres == 0.001
    assert EdgesMeasure.model_validate({"kind": "edges", "least": 30.0}).within == 0


def test_a_blend_of_before_is_shown_and_asked_as_it_was_meant(db):
    """The picture, the number at the cursor and the compiled shader point into the document: it is brought up to now."""
    sample = small_project(db)
    term = Term(source=FacingSource(azimuth=140, tilt=30), low=150, high=20)
    with db.begin() as session:
        row = session.get(Blend, sample.blend)
        now = BlendDocument.model_validate(row.document)
        layer = now.layers[0].model_copy(update={"mask": Recipe(terms=(term,)), "border": "plain"})
        document = now.model_copy(update={"layers": (layer,)}).model_dump(mode="json")
        row.document = document
    wanted = shares_at(OpenSurface(db, sample.surface), sample)
    assert 0.05 < wanted[0] < 0.95
    source = document["layers"][0]["mask"]["terms"][0]["source"]
    source |= {"azimuth": 40.0, "elevation": source.pop("tilt")}
    with db.begin() as session:
        session.get(Blend, sample.blend).document = {**document}
    assert "elevation" in str(document)
    np.testing.assert_allclose(shares_at(OpenSurface(db, sample.surface), sample), wanted, atol=1e-9)
