"""Full above a value, nothing below."""

from typing import Literal

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted
from ashblend.core.ramp import ramp


class ThresholdFill(FillSettings):
    """soft: width of the step around the value; 0 is a clean one."""

    kind: Literal["threshold"] = "threshold"
    value: Unit = 0.5
    soft: Unit = 0.0

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(ramp(view.values, self.value - self.soft / 2, self.value + self.soft / 2))

    def label(self, name: str) -> str:
        return f"Threshold {name} at {self.value:.2f}"
