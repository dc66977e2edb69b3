"""The cards of a recipe, by key and name."""

TABS = (("layers", "Layers"), ("layer", "Layer"), ("way", "Way"), ("advice", "Advice"), ("portrait", "Portrait"))
