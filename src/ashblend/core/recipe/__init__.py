"""Recipes: how a mask or an undercoat is made, as an ordered list of terms."""
