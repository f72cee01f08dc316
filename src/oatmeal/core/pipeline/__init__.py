"""The pipeline: runs the stages on a picture, a part of it or a proxy, and remembers."""

from oatmeal.core.pipeline.order import STAGES, Order
from oatmeal.core.pipeline.region import Region
from oatmeal.core.pipeline.render import opacity, render
from oatmeal.core.pipeline.work import WHOLE_SIDE, Pipeline

__all__ = [
    "STAGES", "WHOLE_SIDE", "Order", "Pipeline", "Region", "opacity", "render",
]  # fmt: skip
