"""Recipes that a project keeps, to be used on any of its surfaces."""

from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer

from ashblend.core.recipe.document import Recipe
from ashblend.core.surface.refusal import Refusal
from ashblend.store.errors import Missing
from ashblend.store.models import KeptRecipe
from ashblend.store.projects import get_project

MOST = 200


def keep_recipe(session: Session, project: UUID, name: str, recipe: Recipe) -> KeptRecipe:
    """Raises Missing, Refusal."""
    get_project(session, project)
    kept = session.scalar(select(func.count()).where(KeptRecipe.project_id == project)) or 0
    if kept >= MOST:
        raise Refusal(f"This project keeps {MOST} recipes already.", "Let one of them go first.")
    row = KeptRecipe(project_id=project, name=name, document=recipe.model_dump(mode="json"))
    session.add(row)
    session.flush()
    return row


def kept_recipes(session: Session, project: UUID) -> list[tuple[KeptRecipe, bool]]:
    """Newest first, and whether each has a picture; the pictures are left where they are."""
    rows = session.execute(
        select(KeptRecipe, KeptRecipe.picture.is_not(None))
        .where(KeptRecipe.project_id == project)
        .order_by(KeptRecipe.created_at.desc(), KeptRecipe.id)
        .options(defer(KeptRecipe.picture))
    )
    return [(row, bool(pictured)) for row, pictured in rows]


def get_kept_recipe(session: Session, ident: UUID) -> KeptRecipe:
    """Raises Missing."""
    row = session.get(KeptRecipe, ident)
    if row is None:
        raise Missing("recipe", ident)
    return row


def put_recipe_picture(session: Session, ident: UUID, data: bytes) -> None:
    """Raises Missing."""
    get_kept_recipe(session, ident).picture = data


def get_recipe_picture(session: Session, ident: UUID) -> bytes:
    """Raises Missing."""
    picture = get_kept_recipe(session, ident).picture
    if picture is None:
        raise Missing("picture of recipe", ident)
    return picture
