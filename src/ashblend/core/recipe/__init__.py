"""Recipes: how a mask or an undercoat is made, as an ordered list of terms."""

from ashblend.core.recipe.document import Recipe, Term
from ashblend.core.recipe.lower import lower_recipe, lower_term

__all__ = ["Recipe", "Term", "lower_recipe", "lower_term"]
