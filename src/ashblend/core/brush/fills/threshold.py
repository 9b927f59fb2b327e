"""Full above a value, nothing below."""

from typing import ClassVar, Literal

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.ramp import ramp
from ashblend.core.setting import Setting, share


class ThresholdFill(FillSettings):
    """soft: width of the step around the value; 0 is a clean one."""

    title: ClassVar[str] = "Threshold"
    about: ClassVar[str] = "Full above a value, nothing below"

    kind: Literal["threshold"] = "threshold"
    value: Unit = 0.5
    soft: Unit = 0.0

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            share("value", "Value", "Full above, nothing below"),
            share("soft", "Soft", "Width of the step"),
        )

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(ramp(view.values, self.value - self.soft / 2, self.value + self.soft / 2))

    def label(self, name: str) -> str:
        return f"Threshold {name} at {self.value:.2f}"
