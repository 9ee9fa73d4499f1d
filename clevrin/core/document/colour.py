"""What the numbers in a picture mean."""

from typing import Literal

from clevrin.core.document.value import Value

Matrix = Literal["bt601", "bt709", "bt2020", "smpte240m", "fcc", "rgb"]
Primaries = Literal["bt709", "p3", "bt2020"]
Transfer = Literal["sdr", "hlg", "pq"]


class Colour(Value):
    """How colours are coded: `matrix` between luma, chroma and RGB, `primaries`, `transfer` and range.

    `matrix` and range as in ITU-T H.273. The primaries of BT.601 count as those of BT.709, which is how all of
    standard definition is shown; `sdr` is what a screen shows with the curve of IEC 61966-2-1.
    """

    matrix: Matrix = "bt709"
    primaries: Primaries = "bt709"
    transfer: Transfer = "sdr"
    full_range: bool = False

    @property
    def hdr(self) -> bool:
        return self.transfer != "sdr"

    @property
    def home(self) -> "Colour":
        """The coding into which pictures of these colours are brought without changing any colour."""
        matrix: Matrix = "bt2020" if self.primaries == "bt2020" else "bt709"
        return Colour(matrix=matrix, primaries=self.primaries, transfer=self.transfer)


BT709 = Colour()
HLG = Colour(matrix="bt2020", primaries="bt2020", transfer="hlg")
PQ = Colour(matrix="bt2020", primaries="bt2020", transfer="pq")
