"""Recipes: how a mask or an undercoat is made, as an ordered list of terms."""

from ashblend.core.recipe.document import Recipe, Term, Uneven, Warp, of_channel
from ashblend.core.recipe.lower import lower_recipe, lower_term

__all__ = ["Recipe", "Term", "Uneven", "Warp", "lower_recipe", "lower_term", "of_channel"]
