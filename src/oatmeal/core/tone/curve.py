"""The tone curve: a monotone cubic through the photographer's points."""

from oatmeal.core.recipe.curves import evaluate

__all__ = ["evaluate"]
