"""The settings of Finish: from a grey picture to a print."""

from typing import Annotated, Any, Final, Self

from pydantic import Field

from oatmeal.core.recipe.parts import Part, Step, Unit
from oatmeal.core.recipe.settings import setting

#: Seeds of grain are whole numbers up to this one.
MOST_SEED: Final = 9999

#: Colours of a picture that can be kept.
MOST_KEPT: Final = 8

Seed = Annotated[int, Field(ge=0, le=MOST_SEED)]
Hue = Annotated[float, Field(description="OKLCh degrees")]


def _seed(words: str) -> Any:
    return setting(words, rest=1, scale="stays", meaning="another number is another pattern")


def _size(words: str) -> Any:
    return setting(
        words, 0, 100, rest=50.0, step=5, trial=20, scale="stays",
        meaning="half as large at 0, twice at 100",
    )  # fmt: skip


def _light(words: str) -> Any:
    return setting(words, rest=True, scale="stays", meaning="as dust on a negative is; else dark")


def _on(words: str) -> Any:
    return setting(words, rest=True, scale="stays", meaning="off is as if it were at rest")


class Switched(Part):
    """A part of Finish that can be taken out, to judge it alone."""

    on: bool = _on("{}")


class Sharpness(Switched):
    """Sharpening of the file's own pixels, before anything is reduced."""

    amount: float = setting("sharpness", 0, 100, step=5, trial=20, meaning="no halo at any amount")
    radius: float = setting(
        "sharpening radius", 0.4, 3, rest=1.0, unit="px", step=0.1, trial=0.4, scale="stays",
        meaning="of the file's pixels",
    )  # fmt: skip
    detail: float = setting(
        "sharpened detail", 0, 100, rest=30.0, step=5, trial=20, scale="stays",
        meaning="how far the smallest things may rise above what lies round them; edges never do",
    )  # fmt: skip
    edges: float = setting(
        "sharpened edges only", 0, 100, rest=25.0, step=5, trial=20, scale="stays",
        meaning="what is flatter than that is left alone",
    )  # fmt: skip


class Grain(Switched):
    """Grain as film has it: seen most in the middle tones, none in black and white."""

    amount: float = setting(
        "grain", 0, 100, step=2, trial=12, area=(0, 100), meaning="12 L* in the middle at 100"
    )
    size: float = setting(
        "grain size", 0.15, 3, rest=0.4, unit="‰", step=0.05, trial=0.15, scale="stays",
        within=(0.15, 1.5), meaning="of the longer side of the framed picture",
    )  # fmt: skip
    roughness: float = setting(
        "grain roughness", 0, 100, rest=25.0, step=5, trial=20, scale="stays",
        meaning="clumps, and grains that are darker than light",
    )  # fmt: skip
    seed: Seed = _seed("grain's pattern")


class Tint(Part):
    """One colour of a toned print."""

    hue: Hue = setting("{} toned", 0, 360, rest=89.0, unit="°", step=2, trial=25, scale="stays")
    strength: float = setting("{} toning", 0, 100, trial=6, meaning="chroma over lightness 0.25")


class Toning(Switched):
    """Greys given a colour; their lightness stays."""

    lights: Tint = Field(default=Tint.at_rest())
    darks: Tint = Field(default=Tint.at_rest())
    balance: float = setting(
        "toning balance", -100, 100, trial=30, scale="stays",
        meaning="where lights and darks meet: L* 50 less 0.35 of it",
    )  # fmt: skip

    @property
    def rests(self) -> bool:
        """True where nothing is toned."""
        return not self.lights.strength and not self.darks.strength


class Kept(Part):
    """A colour of the picture that is let through, and what it is turned to."""

    colour: Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")] = setting(
        "{} itself", rest=..., scale="stays", kind="colour", meaning="`#rrggbb`"
    )
    reach: float = setting(
        "{} reach", 0.01, 0.3, rest=0.06, step=0.005, trial=0.02, scale="stays",
        meaning="OKLab distance, light and shade aside",
    )  # fmt: skip
    amount: float = setting(
        "{} kept", 0, 100, rest=0.0, step=5, trial=20, meaning="how much of its colour"
    )
    hue: float = setting(
        "{} turned", -180, 180, unit="°", step=5, trial=30, scale="stays", meaning="OKLCh hue"
    )
    strength: float = setting(
        "{} strength", 0, 300, rest=100.0, unit="%", step=5, trial=30, scale="stays",
        meaning="of the picture's own colourfulness",
    )  # fmt: skip
    bright: float = setting(
        "{} own brightness", 0, 100, unit="%", step=5, trial=25,
        meaning="share of the colour picture's luminance in the greys there",
    )  # fmt: skip
    name: Annotated[str, Field(max_length=80)] = setting(
        "name of {}", rest="", scale="stays", silent=True, meaning="of the kept colour"
    )
    on: bool = setting("{}", rest=True, scale="stays")

    @property
    def moves(self) -> bool:
        """True where it lets anything through."""
        return self.on and self.amount > 0


class KeptColours(Switched):
    """The picture's own colour, let through the greys; their lightness stays unless asked for."""

    on: bool = _on("kept colour")

    trace: float = setting(
        "trace of colour", 0, 100, step=2, trial=10,
        meaning="everywhere; at 100 the colour picture, lit by the greys",
    )  # fmt: skip
    colours: Annotated[tuple[Kept, ...], Field(max_length=MOST_KEPT)] = setting(
        "kept colours", rest=()
    )

    @property
    def rests(self) -> bool:
        """True where no colour is let through."""
        return not self.trace and not any(one.moves for one in self.colours)


class Falloff(Switched):
    """Light that falls toward the corners."""

    amount: float = setting(
        "falloff",
        -100,
        100,
        trial=25,
        meaning="-3 stops in the corner at -100; above 0 it lightens",
    )
    midpoint: float = setting(
        "falloff's middle way", 0, 100, rest=60.0, trial=20, scale="stays",
        meaning="where half of it is reached, on the way to the corner",
    )  # fmt: skip
    softness: float = setting("falloff's softness", 0, 100, rest=70.0, trial=25, scale="stays")
    roundness: float = setting(
        "falloff's shape", -100, 100, trial=40, scale="stays",
        meaning="0 follows the frame, 100 is a circle, -100 nearly a rectangle",
    )  # fmt: skip
    centre: tuple[Unit, Unit] = setting(
        "middle of the falloff", 0, 1, (0.5, 0.5), scale="stays", bound=False, signed=False,
        names=("falloff across", "falloff down"), step=0.01,
        meaning="in shares of the framed picture's sides",
    )  # fmt: skip
    spare: float = setting(
        "lights spared", 0, 100, trial=30, scale="stays", meaning="the falloff leaves them alone"
    )


class Glow(Switched):
    """Light that spreads from what is bright."""

    amount: float = setting("glow", 0, 100, step=5, trial=15, meaning="a full screen blend at 100")
    reach: float = setting(
        "glow's reach", 2, 60, rest=15.0, unit="‰", trial=6, scale="stays",
        meaning="of the longer side of the framed picture",
    )  # fmt: skip
    threshold: float = setting(
        "glow begins at", 0, 100, rest=70.0, unit="L*", trial=10, scale="stays",
        meaning="half of it at that tone",
    )  # fmt: skip


class BurnedEdge(Part):
    """One side of the picture, darkened by itself."""

    amount: float = setting(
        "{} burned", -100, 100, trial=25, meaning="-3 stops at the side at -100"
    )
    reach: float = setting(
        "{} edge's reach", 0, 100, rest=30.0, unit="%", trial=15, scale="stays",
        meaning="of the picture, inward",
    )  # fmt: skip
    softness: float = setting("{} edge's softness", 0, 100, rest=100.0, trial=30, scale="stays")


class Burned(Switched):
    """The four sides."""

    on: bool = _on("burned edges")
    top: BurnedEdge = Field(default=BurnedEdge.at_rest())
    right: BurnedEdge = Field(default=BurnedEdge.at_rest())
    bottom: BurnedEdge = Field(default=BurnedEdge.at_rest())
    left: BurnedEdge = Field(default=BurnedEdge.at_rest())


class Dust(Switched):
    """Specks and hairs."""

    amount: float = setting("dust", 0, 100, step=5, trial=20, meaning="how many")
    size: float = _size("dust's size")
    light: bool = _light("light dust")
    seed: Seed = _seed("dust's pattern")


class Scratches(Switched):
    """Marks along the way that a film runs, and scuffs."""

    amount: float = setting("scratches", 0, 100, step=5, trial=20, meaning="how many")
    direction: float = setting(
        "scratches' direction", 0, 180, rest=90.0, unit="°", step=5, trial=30, scale="stays",
        meaning="90 is upright",
    )  # fmt: skip
    light: bool = _light("light scratches")
    seed: Seed = _seed("scratches' pattern")


class Paper(Switched):
    """The fibres and the tooth of a sheet, lit from the upper left."""

    amount: float = setting("paper", 0, 100, step=5, trial=20, area=(0, 100))
    size: float = _size("paper's size")
    seed: Seed = _seed("paper's pattern")


class Uneven(Part):
    """The edge of a negative carrier that was filed by hand: a black rim, then bare paper."""

    width: float = setting(
        "uneven edge", 0, 150, unit="‰", step=2, trial=8, within=(0, 60),
        meaning="of the longer side of the framed picture",
    )  # fmt: skip
    roughness: float = setting(
        "uneven edge's roughness", 0, 100, rest=50.0, step=5, trial=20, scale="stays",
    )  # fmt: skip
    black: float = setting(
        "uneven edge's black", 0, 100, rest=50.0, step=5, trial=20, scale="stays",
        meaning="how much of its width is the black rim",
    )  # fmt: skip
    seed: Seed = _seed("uneven edge's pattern")


def _round_it(words: str, trial: float, meaning: str) -> Any:
    return setting(
        words, 0, 150, unit="‰", trial=trial,
        meaning=f"of the longer side of the framed picture, {meaning}",
    )  # fmt: skip


def _grey(words: str, rest: float) -> Any:
    return setting(words, 0, 100, rest=rest, unit="L*", step=1, trial=10, scale="stays")


class Border(Switched):
    """What stands round the picture; line and mat enlarge the file."""

    uneven: Uneven = Field(default=Uneven.at_rest())
    gap: float = _round_it("gap before the line", 4, "in the mat's grey")
    line: float = _round_it("border line", 1, "at least a pixel")
    line_grey: float = _grey("border line's grey", 5.0)
    mat: float = _round_it("mat", 20, "outside the line")
    mat_grey: float = _grey("mat's grey", 95.0)
    base: float = setting(
        "mat's foot", 0, 100, unit="%", step=5, trial=20, scale="stays",
        meaning="by how much the mat is wider below",
    )  # fmt: skip


class Finish(Step):
    """From a grey picture to a print."""

    title, hint, key, screen = "Finish", "the print", "z", True

    on: bool = True
    sharpness: Sharpness = setting("sharpness", rest=Sharpness, group="sharpness")
    glow: Glow = setting("glow", rest=Glow, group="glow")
    grain: Grain = setting("grain", rest=Grain, group="grain")
    toning: Toning = setting("toning", rest=Toning, group="toning")
    kept: KeptColours = setting("kept colour", rest=KeptColours, group="kept colour")
    falloff: Falloff = setting("falloff", rest=Falloff, group="falloff and burned edges")
    burned: Burned = setting("burned edges", rest=Burned, group="falloff and burned edges")
    dust: Dust = setting("dust", rest=Dust, group="dust, scratches, paper")
    scratches: Scratches = setting("scratches", rest=Scratches, group="dust, scratches, paper")
    paper: Paper = setting("paper", rest=Paper, group="dust, scratches, paper")
    border: Border = setting("border", rest=Border, group="border")

    def acting(self) -> Self:
        """The same with every part that is switched off put to rest."""
        off = {
            name: type(part)() for name, part in self if isinstance(part, Switched) and not part.on
        }
        return self.model_copy(update=off) if off else self

    def unmounted(self) -> Self:
        """The same without line and mat: the picture alone."""
        border = self.border.model_copy(update={"gap": 0.0, "line": 0.0, "mat": 0.0})
        return self.model_copy(update={"border": border})
