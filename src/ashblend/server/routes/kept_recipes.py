"""The project's collection of recipes, and parts of a blend laid on another surface."""

from uuid import UUID

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel

from ashblend.core.blend.adopt import Instead, adopted
from ashblend.core.blend.layers.registry import Layer
from ashblend.core.recipe.document import Recipe
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.refusal import Refusal
from ashblend.server.routes.parts import DatabaseSession, Name, OpenDatabase
from ashblend.server.routes.small_pictures import picture_answer, sent_picture
from ashblend.store import kept_recipes as store
from ashblend.store.blends import known_on
from ashblend.store.materials import of_the_same_name
from ashblend.store.models import KeptRecipe
from ashblend.store.projects import materials_of
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["recipes"])


class KeptRecipeView(BaseModel):
    id: UUID
    name: str
    recipe: Recipe
    pictured: bool


def _view(row: KeptRecipe, pictured: bool) -> KeptRecipeView:
    recipe = Recipe.model_validate(row.document)
    return KeptRecipeView(id=row.id, name=row.name, recipe=recipe, pictured=pictured)


class NewRecipe(BaseModel):
    name: Name
    recipe: Recipe


class Named(BaseModel):
    name: Name


@router.get("/projects/{project}/recipes")
def list_recipes(project: UUID, session: DatabaseSession) -> list[KeptRecipeView]:
    """Newest first."""
    return [_view(row, pictured) for row, pictured in store.kept_recipes(session, project)]


@router.post("/projects/{project}/recipes", status_code=201)
def keep_recipe(project: UUID, new: NewRecipe, session: DatabaseSession) -> KeptRecipeView:
    return _view(store.keep_recipe(session, project, new.name, new.recipe), False)


@router.patch("/recipes/{ident}")
def rename_recipe(ident: UUID, new: Named, session: DatabaseSession) -> KeptRecipeView:
    row = store.get_kept_recipe(session, ident)
    row.name = new.name
    return _view(row, row.picture is not None)


@router.delete("/recipes/{ident}", status_code=204)
def delete_recipe(ident: UUID, session: DatabaseSession) -> None:
    session.delete(store.get_kept_recipe(session, ident))


@router.put("/recipes/{ident}/picture", status_code=204)
async def put_recipe_picture(ident: UUID, request: Request, database: OpenDatabase) -> None:
    """What the recipe made of the surface that it was kept from."""
    await database.transact(store.put_recipe_picture, ident, await sent_picture(request))


@router.get("/recipes/{ident}/picture", response_class=Response)
def get_recipe_picture(ident: UUID, session: DatabaseSession) -> Response:
    return picture_answer(store.get_recipe_picture(session, ident), "private, max-age=86400")


class Adopting(BaseModel):
    """A recipe or a layer from elsewhere. instead: the channel that stands in for one that this surface has not."""

    recipe: Recipe | None = None
    layer: Layer | None = None
    instead: ChannelAddress


class Adopted(BaseModel):
    """The same, as it is on this surface. channels, materials: how many were taken for others."""

    recipe: Recipe | None
    layer: Layer | None
    channels: int
    materials: int


@router.post("/surfaces/{ident}/adopted")
def adopt(ident: UUID, wish: Adopting, session: DatabaseSession) -> Adopted:
    """A recipe or a layer as it is laid on a surface that has other channels, and materials, than where it was made."""
    surface = get_surface(session, ident)
    known = known_on(session, surface)
    channels = dict(known.channels)
    if wish.instead.channel_set not in channels:
        raise Refusal("The chosen channel set is not there any more.", "Choose another one.")
    own = materials_of(session, surface.project_id)
    instead = Instead(
        channels,
        (wish.instead.channel_set, wish.instead.channel),
        known.materials,
        of_the_same_name(session, surface.project_id),
        own[0].id if own else None,
    )
    recipe, channels_r, materials_r = adopted(wish.recipe, instead) if wish.recipe else (None, 0, 0)
    layer, channels_l, materials_l = adopted(wish.layer, instead) if wish.layer else (None, 0, 0)
    return Adopted(
        recipe=recipe, layer=layer, channels=channels_r + channels_l, materials=materials_r + materials_l
    )
