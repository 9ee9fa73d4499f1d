"""Compiled kernels beside the same in NumPy: random pictures, to one code value."""

import os
import subprocess
import sys
from dataclasses import replace

import cv2
import numpy as np
import pytest

from clevrin.core.document.colour import BT709, Colour
from clevrin.core.kernels import compiled
from clevrin.core.media import colouring
from clevrin.core.media.picture import picture_from_yuv
from clevrin.core.motion.geometry.models import apply, translation
from clevrin.core.motion.matching.fitting import fit_homographies
from clevrin.core.pace.in_between import PairFlow, moment, pair_flow
from clevrin.core.render.pixels import open_shutter
from clevrin.core.render.pixels.compositing import smeared_codes
from clevrin.core.render.pixels.frame_interpolation import morphed, places_between
from clevrin.core.render.pixels.resampling import Look
from clevrin.core.render.plan import Between, Layer, Sample, row9

SIZE = 200, 120
HLG = Colour(matrix="bt2020", primaries="bt2020", transfer="hlg")
LAID = np.array([[1.02, 0.01, -3.2], [-0.012, 0.99, 2.4], [1e-5, -2e-5, 1.0]])
ONWARD = np.array([[1.0, 0.004, 5.3], [-0.004, 1.0, -1.7], [0, 0, 1.0]])


@pytest.fixture
def both_ways(monkeypatch):
    """Does something with the kernels and without."""
    assert compiled.library is not None, "make setup builds them"

    def twice(do):
        found = do()
        monkeypatch.setattr(compiled, "library", None)
        plain = do()
        monkeypatch.undo()
        return found, plain

    return twice


def scene(seed: int, deep: bool) -> np.ndarray:
    """(h, w, 3) coded values: soft patches with fine grain on them."""
    rng = np.random.default_rng(seed)
    small = rng.uniform(30, 220, (9, 12, 3)).astype(np.float32)
    large = cv2.resize(small, SIZE, interpolation=cv2.INTER_CUBIC) + rng.normal(0, 3, (*SIZE[::-1], 3))
    return np.clip(large, 0, 255).astype(np.uint8) if not deep else (np.clip(large, 0, 255) * 256).astype(np.uint16)


@pytest.mark.parametrize("colour", [BT709, HLG])
@pytest.mark.parametrize("deep", [False, True])
def test_light_of_codes_and_back(both_ways, deep, colour):
    codes = scene(1, deep)
    light, plain = both_ways(lambda: colouring.light_of_yuv(codes, colour))
    assert light == pytest.approx(plain, abs=2e-4 * max(1.0, float(plain.max()))) and light.std() > 0.05
    found, expected = both_ways(lambda: colouring.yuv_of_light(plain, colour, deep=deep))
    assert found.dtype == codes.dtype
    off = np.abs(found.astype(int) - expected.astype(int))
    assert off.max() <= (4 if deep else 1) and off.mean() < 0.2  # of 65536 values, and of 256


@pytest.mark.parametrize("siting", [(0.0, 0.5), (0.5, 0.5), (1.0, 0.0)])
@pytest.mark.parametrize("deep", [False, True])
@pytest.mark.parametrize("size", [SIZE, (51, 37), (1, 1)])
def test_light_of_planes_and_back(both_ways, size, deep, siting):
    """Chroma is rounded on its way by OpenCV, and here it is not: half a code of it is the difference."""
    packed = np.ascontiguousarray(scene(2, deep)[: size[1], : size[0]])
    picture = replace(picture_from_yuv(packed, BT709), siting=siting)
    light, plain = both_ways(lambda: colouring.light_of(picture))
    assert light.shape == plain.shape == (size[1], size[0], 3)
    assert np.abs(light - plain).max() < (0.03 if not deep else 2e-4) and np.abs(light - plain).mean() < 3e-3
    found, expected = both_ways(lambda: colouring.picture_of_light(plain, BT709, deep=deep))
    assert found.deep == deep and found.size == size
    for ours, theirs in zip(found.planes, expected.planes, strict=True):
        assert np.abs(ours.astype(int) - theirs.astype(int)).max() <= (4 if deep else 1)


def test_a_smear_far_beyond_the_edges_is_what_lies_there(both_ways):
    picture = picture_from_yuv(scene(4, deep=False), BT709)
    for border in (cv2.BORDER_REPLICATE, cv2.BORDER_REFLECT_101, cv2.BORDER_CONSTANT):
        looks = [replace(look(border), matrix=LAID @ translation(-150 + 12 * k, 9)) for k in range(9)]
        found, plain = both_ways(lambda looks=looks: smeared_codes(picture, looks, [1 / 9] * 9).astype(int))
        off = np.abs(found - plain)
        assert np.quantile(off, 0.995) <= 1 and off.mean() < 0.2 and plain.std() > 10


def test_light_that_is_no_number_or_beyond_all_is_some_code(both_ways):
    light = np.array([[[np.nan, np.inf, -np.inf]], [[1e30, -1e30, 0.5]]], np.float32)
    assert colouring.yuv_of_light(light, BT709, deep=False).shape == light.shape


def flowing() -> tuple[PairFlow, tuple]:
    first = scene(3, deep=False)
    second = cv2.warpPerspective(first, np.linalg.inv(ONWARD), SIZE, flags=cv2.WARP_INVERSE_MAP, borderMode=1)
    second[40:70, 60:110] = np.roll(first, 9, axis=1)[40:70, 60:110]
    pictures = picture_from_yuv(first, BT709), picture_from_yuv(second, BT709)
    return pair_flow(pictures[0].y, pictures[1].y, ONWARD), pictures


def look(border: int) -> Look:
    return Look(
        matrix=LAID,
        bend=None,
        size=SIZE,
        border=border,
        colour=(90, 100, 140),
        kernel=cv2.INTER_CUBIC,
        siting=(0.0, 0.5),
    )


@pytest.mark.parametrize("share", [0.2, 0.5, 0.85])
def test_a_moment_between_two_frames(both_ways, share):
    pair, _ = flowing()
    found, plain = both_ways(lambda: moment(pair, share).field)
    assert np.quantile(np.abs(found - plain), 0.995) < 0.02 and np.abs(plain[..., :4]).max() > 1


def test_where_pixels_of_a_moment_come_from(both_ways):
    pair, pictures = flowing()
    at = moment(pair, 0.4)
    found, plain = both_ways(lambda: places_between(pictures, look(cv2.BORDER_REPLICATE), at, ONWARD))
    for ours, theirs in zip((*found[0], *found[1], found[2]), (*plain[0], *plain[1], plain[2]), strict=True):
        assert np.quantile(np.abs(ours - theirs), 0.99) < 0.15  # px; flow is looked up here and there
    made, expected = both_ways(lambda: morphed(pictures, look(cv2.BORDER_REPLICATE), at, ONWARD))
    assert np.abs(made.y.astype(int) - expected.y.astype(int)).mean() < 0.3


@pytest.mark.parametrize("border", [cv2.BORDER_REPLICATE, cv2.BORDER_REFLECT_101, cv2.BORDER_CONSTANT])
def test_an_open_shutter_is_the_same_to_a_code_value(both_ways, border):
    pair, pictures = flowing()
    between = Between(frame=1, share=0.5, to_from_src=row9(ONWARD))
    samples = tuple(
        Sample(
            frame=0,
            src_from_out=row9(LAID),
            weight=0.2,
            between=Between(frame=1, share=share, to_from_src=between.to_from_src),
        )
        for share in (0.1, 0.3, 0.5, 0.7, 0.9)
    )
    layer = Layer(take_id="kite", path="kite.mp4", source_size=SIZE, samples=samples)

    def made() -> np.ndarray:
        shuttered = open_shutter.Shuttered(
            layer=layer,
            picture=lambda frame: pictures[frame],
            lit=lambda frame: colouring.light_of(pictures[frame]),
            look=lambda _: look(border),
            flow=lambda _: pair,
            moment=lambda each: moment(pair, each.between.share),
            second_from_first=lambda _: ONWARD,
        )
        picture = open_shutter.seen_by_shutter(shuttered)
        assert picture is not None
        return picture.y.astype(int)

    found, plain = both_ways(made)
    off = np.abs(found - plain)
    assert np.quantile(off, 0.995) <= 1 and off.mean() < 0.2 and plain.std() > 10


@pytest.mark.parametrize("known", [60, 9, 1])
def test_homographies_that_are_fitted(both_ways, known):
    """Of several frames at once; some points are not found, some belong to something else."""
    rng = np.random.default_rng(5)
    corners = rng.uniform(-300, 300, (60, 2))
    places = np.stack([apply(LAID, corners) + rng.normal(0, 0.2, corners.shape) for _ in range(4)])
    places[:, ::7] += rng.uniform(-40, 40, (4, 9, 2))
    places[1, 5:20] = places[2, known:] = np.nan
    start = np.repeat(np.eye(3)[None], 4, axis=0)
    given = corners, places, rng.uniform(0, 1, (4, 60)), 400.0, start, np.zeros((4, 4)), np.full(4, 1e-3)
    found, plain = both_ways(lambda: fit_homographies(*given))
    assert np.allclose(found.scaled, plain.scaled, atol=1e-7) and np.abs(plain.scaled - start).max() > 1e-3
    assert np.allclose(found.residuals, plain.residuals, atol=1e-5, equal_nan=True)
    assert np.allclose(found.noise_px, plain.noise_px, rtol=1e-6) and np.allclose(
        found.weights, plain.weights, atol=1e-6
    )
    assert np.allclose(found.covariance, plain.covariance, rtol=1e-5)


def test_without_the_library_it_works_and_says_so_once(tmp_path):
    """In a process of its own, whose library is of other sources."""
    code = (
        "import ctypes, logging, numpy as np\n"
        "logging.basicConfig()\n"
        "class Missing(ctypes.CDLL):\n"
        "    def __init__(self, name, *rest, **more):\n"
        "        if '_kernels' in str(name): raise OSError('damaged')\n"
        "        super().__init__(name, *rest, **more)\n"
        "ctypes.CDLL = Missing\n"
        "from clevrin.core.document.colour import BT709\n"
        "from clevrin.core.media.colouring import light_of_yuv\n"
        "print(light_of_yuv(np.full((2, 2, 3), 128, np.uint8), BT709).shape)\n"
    )
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, env={**os.environ})
    assert result.stdout.strip() == "(2, 2, 3)", result.stderr
    assert result.stderr.count("The compiled kernels are not there") == 1


@pytest.mark.parametrize("border", [cv2.BORDER_REPLICATE, cv2.BORDER_REFLECT_101, cv2.BORDER_CONSTANT])
@pytest.mark.parametrize("deep", [False, True])
def test_a_picture_laid_in_several_ways_is_the_same_to_a_code_value(both_ways, deep, border):
    picture = picture_from_yuv(scene(5, deep), BT709)
    shifts = np.linspace(-14, 14, 5)
    looks = [replace(look(border), matrix=translation(shift, shift / 2) @ LAID) for shift in shifts]
    found, plain = both_ways(lambda: smeared_codes(picture, looks, [0.1, 0.2, 0.4, 0.2, 0.1]))
    off = np.abs(found.astype(int) - plain.astype(int))
    assert off.max() <= (200 if deep else 1) and off.mean() < (20 if deep else 0.1)  # of 65536 values, and of 256
    assert plain.std() > 10
