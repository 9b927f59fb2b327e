"""Rough ideas of measures, shown while they are worked out: near the truth, and never taken for it."""

import numpy as np
import pytest
from shapes import plane, thin_wall
from test_body_measures import body_of, rough_ball

from ashblend.core.progress import silent
from ashblend.core.surface import measures as measures_module
from ashblend.core.surface.shape import Shape
from ashblend.core.surface.shapes import shape_of
from ashblend.core.survey.body import Body
from ashblend.core.survey.coarse import coarse
from ashblend.core.survey.edges import EdgesMeasure
from ashblend.core.survey.occlusion import OcclusionMeasure
from ashblend.core.survey.registry import MEASURES
from ashblend.core.terrain.frame import terrain_mesh
from ashblend.core.terrain.terrain import terrain_of
from ashblend.demo.slipway import slipway


@pytest.fixture
def shape(monkeypatch) -> Shape:
    """Large enough to be seen by a stand-in first."""
    monkeypatch.setattr(measures_module, "MANY", 1000)
    monkeypatch.setattr("ashblend.core.survey.coarse.BOXES", 40)
    return Shape(rough_ball(6))


@pytest.mark.parametrize(
    ("kind", "settings_of", "together"),
    [
        ("openness", {"metres": 3.0}, 0.95),
        ("thickness", {"metres": 5.0}, 0.9),
        ("runs", {"metres": 0.1}, 0.6),
    ],
)
def test_a_coarse_stand_in_tells_about_the_same(shape, kind, settings_of, together):
    sites = shape.vertices()
    wanted = MEASURES[kind].document(**settings_of)
    assert shape.measures.glance(wanted, sites, silent)
    everyone = np.arange(sites.count, dtype=np.uint32)
    rough = shape.measures.at(wanted, sites, glancing=True)(everyone)
    assert not shape.measures.has(wanted, sites)
    true = shape.measures.at(wanted, sites)(everyone)
    assert np.corrcoef(rough, true)[0, 1] > together
    assert np.ptp(rough) > 0.3 * np.ptp(true)


def test_occlusion_of_the_sample_is_about_the_same(monkeypatch):
    monkeypatch.setattr(measures_module, "MANY", 1000)
    shape = Shape(slipway())
    sites = shape.vertices()
    wanted = MEASURES["occlusion"].document(metres=2.0)
    assert shape.measures.glance(wanted, sites, silent)
    everyone = np.arange(sites.count, dtype=np.uint32)
    rough = shape.measures.at(wanted, sites, glancing=True)(everyone)
    true = shape.measures.at(wanted, sites)(everyone)
    assert np.corrcoef(rough, true)[0, 1] > 0.8 and np.abs(rough - true).mean() < 0.06


def test_a_rough_idea_is_never_taken_for_the_measure(shape):
    sites = shape.vertices()
    wanted = MEASURES["occlusion"].document(metres=0.5)
    shape.measures.glance(wanted, sites, silent)
    everyone = np.arange(sites.count, dtype=np.uint32)
    true = shape.measures.at(wanted, sites)(everyone)
    alone = MEASURES["occlusion"].on(body_of(shape.mesh), wanted, silent)
    np.testing.assert_array_equal(true, alone.astype(np.float64))
    # Once it is known, that is what is shown.
    np.testing.assert_array_equal(shape.measures.at(wanted, sites, glancing=True)(everyone), true)
    shape.measures.glance(MEASURES["occlusion"].document(metres=0.2), sites, silent)
    shape.measures.make_room([])
    assert not shape.measures.has_glanced(MEASURES["occlusion"].document(metres=0.2), sites)


def test_folds_are_not_guessed(shape):
    assert not shape.measures.glance(EdgesMeasure(), shape.vertices(), silent)


def test_both_sides_of_a_wall_stay_apart():
    whole = body_of(thin_wall(300, 2.0, 0.004))
    found = coarse(whole)
    upward = whole.normals[:, 1]
    sure = np.abs(upward) > 0.9
    told = found.on_whole(whole, found.body.normals[:, 1])
    assert (np.sign(told[sure]) == np.sign(upward[sure])).all()
    assert found.body.mesh.vertex_count < whole.mesh.vertex_count
    far = np.abs(found.body.positions[found.of_site] - whole.positions).max()
    assert far < 2 * whole.size / 200


def test_what_a_first_look_begins_with_is_there_before_it(monkeypatch):
    monkeypatch.setattr(measures_module, "MANY", 1000)
    shape = Shape(plane(41, 4.0))
    shape.measures.get_ready(shape.vertices)

    def again(_: Body) -> None:
        raise AssertionError("worked out once more")

    monkeypatch.setattr(measures_module, "coarse", again)
    assert shape.measures.glance(OcclusionMeasure(), shape.vertices(), silent)


def test_large_ground_is_glanced_at_coarsely():
    line = np.linspace(0, 12, 400)
    heights = (60 * np.sin(line)[:, None] * np.cos(0.7 * line)[None]).astype(np.float32)
    ground = shape_of(terrain_mesh(terrain_of(heights, 1.0)))
    wanted = MEASURES["occlusion"].document(metres=40.0)
    sites = ground.grid(400, 400, 0.5)
    assert ground.measures.glance(wanted, sites, silent)
    some = sites.in_tile(0)[::7]
    rough, true = (
        ground.measures.at(wanted, sites, glancing=True)(some),
        ground.measures.at(wanted, sites)(some),
    )
    assert np.corrcoef(rough, true)[0, 1] > 0.9 and not (rough == true).all()
