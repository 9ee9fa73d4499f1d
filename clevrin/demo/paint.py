"""The textures of Gable Hill, drawn once as linear light: backdrop, workshop fronts, meadow, people, kites."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

Light = NDArray[np.uint16]
"""Linear light, RGB or premultiplied RGBA, 0 to 65535."""

EMBER, KELP, PLUM, SKY, BRICK = "#E39A3B", "#4FB3A0", "#B07CC6", "#6FA8DC", "#D9604C"
CREAM, TIMBER, SLATE, STRAW = "#F0E2C4", "#6E4E38", "#584C48", "#F2D65C"
BRIGHT = (EMBER, KELP, PLUM, SKY, BRICK, STRAW)


def rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def shade(colour: str, factor: float) -> tuple[int, ...]:
    return tuple(int(np.clip(c * factor, 0, 255)) for c in rgb(colour))


def linear_from_srgb(picture: NDArray[np.uint8]) -> Light:
    """sRGB code values to linear light; a fourth channel is taken as alpha and multiplied in."""
    code = np.arange(256) / 255
    table = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4) * 65535
    light = table[picture[..., :3]]
    if picture.shape[2] == 4:
        alpha = picture[..., 3:].astype(np.float64) / 255
        light = np.concatenate([light * alpha, alpha * 65535], axis=2)
    return light.round().astype(np.uint16)


def grain(height: int, width: int, seed: int, coarsest: int = 64, fine: float = 0.75) -> NDArray[np.float32]:
    """Noise of several octaves, about -1 to 1; `fine` is how much of it each finer octave keeps."""
    rng = np.random.default_rng(seed)
    total = np.zeros((height, width), np.float32)
    cell, weight = coarsest, 1.0
    while cell >= 2:
        coarse = rng.standard_normal((height // cell + 3, width // cell + 3)).astype(np.float32)
        total += weight * cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC)
        cell, weight = cell // 2, weight * fine
    return total / (2.2 * total.std())


def roughen(picture: NDArray[np.uint8], amount: float, seed: int, coarsest: int = 64) -> None:
    """Gives a painted surface its texture, in place: light and dark by `amount` (0 to 1)."""
    height, width = picture.shape[:2]
    lit = picture[..., :3] * (1 + amount * grain(height, width, seed, coarsest)[..., None])
    picture[..., :3] = np.clip(lit, 0, 255)


def polygon(picture: NDArray[np.uint8], points: Sequence[tuple[float, float]], colour: tuple[int, ...]) -> None:
    fixed = np.round(np.array(points) * 16).astype(np.int32)
    cv2.fillPoly(picture, [fixed], colour, cv2.LINE_AA, 4)


def box(picture: NDArray[np.uint8], x: float, y: float, w: float, h: float, colour: tuple[int, ...]) -> None:
    polygon(picture, [(x, y), (x + w, y), (x + w, y + h), (x, y + h)], colour)


_PLAIN_ABOVE = 0.3
"""Share of the sky, from its top, in which a sky without clouds becomes plain."""


def backdrop(px_per_rad: float, tan_top: float, tan_bottom: float, *, clouds: bool = True) -> Light:
    """Sky and far hills all round, on a cylinder: columns are azimuth from -180°, rows are tan(elevation)."""
    width = round(2 * np.pi * px_per_rad)
    height = round((tan_top + tan_bottom) * px_per_rad)
    horizon = tan_top * px_per_rad
    rows = np.arange(height)[:, None] / horizon
    sky = np.array(rgb("#6E9FCB")) + np.clip(rows, 0, 1)[..., None] ** 1.5 * (
        np.array(rgb("#F2E6CE")) - np.array(rgb("#6E9FCB"))
    )
    picture = np.repeat(sky, width, axis=1)
    half = grain(height, width // 2, 3, 256, 0.55)
    cloud = np.concatenate([half, half[:, ::-1]], axis=1)  # closes at the back of the cylinder
    cloud = np.pad(cloud, ((0, 0), (0, width - cloud.shape[1])), mode="edge")
    cover = np.clip(cloud * 1.6 - 0.1, 0, 1)[..., None] * np.clip(1.3 - rows, 0, 1)[..., None] * float(clouds)
    lit = np.clip(1 - 0.25 * np.roll(cloud, -14, axis=0), 0.8, 1.05)[..., None] * np.array([253, 249, 240])
    picture = (picture * (1 - 0.85 * cover) + 0.85 * cover * lit).clip(0, 255).astype(np.uint8)

    azimuth = np.arange(width) / px_per_rad - np.pi
    ridges = [  # height over the horizon (radians), frequency, colour, seed
        (0.11, 3, "#9DB3A0", 11),
        (0.06, 5, "#7F9E78", 12),
        (0.01, 8, "#5E8757", 13),
    ]
    for lift, waves, colour, seed in ridges:
        rng = np.random.default_rng(seed)
        line = sum(
            rng.uniform(0.3, 1) / (n + 1) * np.cos(waves * (n + 1) * azimuth + rng.uniform(0, 6.28)) for n in range(5)
        )
        top = horizon - px_per_rad * (lift + 0.03 * line)
        if colour == "#7F9E78":  # Gable Hill itself, to the right behind the workshop
            top -= px_per_rad * 0.2 * np.exp(-(((azimuth - np.radians(140)) / 0.38) ** 2))
        inside = np.arange(height)[:, None] >= top
        depth = (np.arange(height)[:, None] - top) / px_per_rad
        tone = np.array(rgb(colour)) * (1 - 0.45 * np.clip(depth, 0, 0.7))[..., None]
        picture[inside] = tone[inside].astype(np.uint8)
        _plant(picture, np.asarray(top), px_per_rad, colour, seed)
    rough = picture.copy()
    roughen(rough, 0.30, 21, 48)
    ground = np.clip((np.arange(height)[:, None] - (horizon - 0.07 * px_per_rad)) / 60, 0.12, 1)[..., None]
    blended = picture * (1 - ground) + rough * ground
    if not clouds:  # what lies above the picture goes on as its first row: that one is even
        plain = np.clip(1 - rows / _PLAIN_ABOVE, 0, 1)[..., None]
        blended = blended * (1 - plain) + np.array(rgb("#6E9FCB")) * plain
    return linear_from_srgb(blended.astype(np.uint8))


def _plant(picture: NDArray[np.uint8], top: NDArray, px_per_rad: float, colour: str, seed: int) -> None:
    """Trees, hedges and small houses on a ridge."""
    rng = np.random.default_rng(seed + 100)
    _height, width = picture.shape[:2]
    for _ in range(420):
        x = int(rng.uniform(20, width - 20))
        y = top[x] + abs(rng.normal(0, 0.12)) * px_per_rad
        size = rng.uniform(5, 17)
        for _ in range(5):
            at = (int(x + rng.normal(0, size * 0.5)), int(y - rng.uniform(0, size)))
            cv2.circle(picture, at, int(size * rng.uniform(0.3, 0.7)), shade(colour, rng.uniform(0.55, 0.95)), -1)
    for _ in range(60):
        x = int(rng.uniform(60, width - 60))
        y = top[x] + rng.uniform(0.02, 0.16) * px_per_rad
        w, h = rng.uniform(18, 44), rng.uniform(12, 22)
        wall = shade(str(rng.choice([CREAM, "#E2C9A6", "#D8B49A"])), rng.uniform(0.8, 1))
        box(picture, x, y - h, w, h, wall)
        polygon(picture, [(x - 4, y - h), (x + w / 2, y - h * 1.9), (x + w + 4, y - h)], shade(SLATE, 1.0))
        for k in range(int(w // 12)):
            box(picture, x + 4 + 12 * k, y - h * 0.7, 5, 6, shade(SLATE, 0.7))


def workshop(width: int, height: int, px_per_m: float) -> Light:
    """The row of workshop fronts with windows, signs, hung kites and bunting; transparent over the roofs."""
    rng = np.random.default_rng(5)
    picture = np.zeros((height, width, 4), np.uint8)
    x, index = 0.0, 0
    walls = [CREAM, "#D9A066", "#A9C3BD", "#E6C7B0", "#C9B6D2", "#E9DDA8"]
    while x < width - 40:
        front = min(rng.uniform(3.6, 5.4) * px_per_m, width - x)
        eaves = height - rng.uniform(3.3, 4.2) * px_per_m
        peak = eaves - rng.uniform(1.1, 1.9) * px_per_m
        wall = walls[index % len(walls)]
        box(picture, x, eaves, front, height - eaves, (*rgb(wall), 255))
        _planks(picture, x, eaves, front, height, wall, px_per_m, rng)
        _roof(picture, x, eaves, front, peak, px_per_m, rng)
        _openings(picture, x, eaves, front, height, px_per_m, rng)
        box(picture, x - 4, eaves, 8, height - eaves, (*shade(TIMBER, 0.9), 255))
        x, index = x + front, index + 1
    for drop in (0.0, 0.55):
        _bunting(picture, height - (4.0 - drop) * px_per_m, px_per_m, rng)
    roughen(picture, 0.16, 6, 24)
    return linear_from_srgb(picture)


def _planks(
    picture: NDArray[np.uint8],
    x: float,
    eaves: float,
    front: float,
    height: int,
    wall: str,
    px_per_m: float,
    rng: Generator,
) -> None:
    y = eaves
    while y < height:
        tall = rng.uniform(0.16, 0.24) * px_per_m
        box(picture, x, y, front, tall, (*shade(wall, rng.uniform(0.88, 1.04)), 255))
        box(picture, x, y + tall - 2, front, 2, (*shade(wall, 0.68), 255))
        y += tall


def _roof(
    picture: NDArray[np.uint8], x: float, eaves: float, front: float, peak: float, px_per_m: float, rng: Generator
) -> None:
    corners = [(x - 12, eaves + 4), (x + front / 2, peak), (x + front + 12, eaves + 4)]
    mask = np.zeros(picture.shape[:2], np.uint8)
    cv2.fillPoly(mask, [np.round(corners).astype(np.int32)], 255, cv2.LINE_AA)
    shingles = np.zeros_like(picture)
    step = 0.2 * px_per_m
    y = peak
    while y < eaves + 8:
        sx = x - 20 - rng.uniform(0, step)
        while sx < x + front + 20:
            box(shingles, sx, y, step * 1.3 - 2, step - 2, (*shade("#8A5A48", rng.uniform(0.6, 1.05)), 255))
            sx += step * 1.3
        y += step
    shingles[..., 3] = 255
    picture[mask > 127] = shingles[mask > 127]


def _openings(
    picture: NDArray[np.uint8], x: float, eaves: float, front: float, height: int, px_per_m: float, rng: Generator
) -> None:
    m = px_per_m
    door = x + rng.uniform(0.3, 0.6) * front
    bright = [str(c) for c in rng.permutation(BRIGHT)]
    box(picture, door, height - 2.1 * m, 1.0 * m, 2.1 * m, (*shade(bright[0], 0.75), 255))
    box(picture, door + 0.1 * m, height - 2.0 * m, 0.8 * m, 0.9 * m, (*shade(SLATE, 0.9), 255))
    box(picture, door + 0.12 * m, height - 0.95 * m, 0.76 * m, 0.75 * m, (*shade(bright[0], 0.55), 255))
    box(picture, door - 0.5 * m, height - 2.75 * m, 2.0 * m, 0.42 * m, (*shade(TIMBER, 0.8), 255))
    word = str(rng.choice(["KITES", "STRING", "SAILS", "TAILS", "REELS", "PAPER"]))
    place = (int(door - 0.38 * m), int(height - 2.44 * m))
    cv2.putText(picture, word, place, cv2.FONT_HERSHEY_DUPLEX, 0.0085 * m, (*rgb(CREAM), 255), 2, cv2.LINE_AA)
    for column in (0.06, 0.78):
        for low in (1.9, 3.2):
            wx, wy = x + column * front, height - low * m
            if wy < eaves + 8 or abs(wx - door) < 1.05 * m:
                continue
            box(picture, wx - 5, wy - 5, 0.8 * m + 10, 0.9 * m + 10, (*shade(CREAM, 0.95), 255))
            for ix in range(2):
                for iy in range(2):
                    tone = shade("#F4DFA0" if rng.random() < 0.4 else "#5B6A78", rng.uniform(0.8, 1.05))
                    box(
                        picture,
                        wx + 2 + ix * 0.4 * m,
                        wy + 2 + iy * 0.45 * m,
                        0.37 * m,
                        0.41 * m,
                        (*tone, 255),
                    )
            box(picture, wx - 8, wy + 0.92 * m, 0.8 * m + 16, 0.16 * m, (*shade(TIMBER, 1.1), 255))
            for k in range(7):
                spot = (int(wx + k * 0.12 * m), int(wy + 0.9 * m - rng.uniform(0, 8)))
                cv2.circle(picture, spot, 6, (*rgb(bright[k % 6]), 255), -1, cv2.LINE_AA)
    kx, ky, size = x + 0.5 * front, eaves + 0.15 * m, 0.36 * m
    left, right = (*rgb(bright[1]), 255), (*rgb(bright[2]), 255)
    polygon(picture, [(kx, ky - size), (kx - size * 0.7, ky), (kx, ky + size)], left)
    polygon(picture, [(kx, ky - size), (kx + size * 0.7, ky), (kx, ky + size)], right)


def _bunting(picture: NDArray[np.uint8], level: float, px_per_m: float, rng: Generator) -> None:
    width = picture.shape[1]
    span, flag = 3.0 * px_per_m, 0.26 * px_per_m
    xs = np.arange(0, width, flag * 1.15)
    sag = level + 0.3 * px_per_m * np.sin(np.pi * (xs % span) / span)
    line = np.column_stack([xs, sag]).astype(np.int32)
    cv2.polylines(picture, [line], False, (*shade(TIMBER, 0.6), 255), 2, cv2.LINE_AA)
    for x, y in zip(xs, sag, strict=True):
        colour = (*shade(str(rng.choice(BRIGHT)), rng.uniform(0.85, 1.05)), 255)
        polygon(picture, [(x, y), (x + flag, y), (x + flag / 2, y + flag * 1.25)], colour)


def meadow(width: int, height: int) -> Light:
    """Mown grass with daisies and a trodden path, to be laid flat."""
    rng = np.random.default_rng(8)
    picture = np.empty((height, width, 3), np.uint8)
    picture[:] = rgb("#6E9A55")
    roughen(picture, 0.45, 9, 32)
    for _ in range(width * height // 900):
        at = (int(rng.uniform(0, width)), int(rng.uniform(0, height)))
        cv2.circle(picture, at, int(rng.integers(1, 3)), shade(str(rng.choice([CREAM, STRAW, PLUM])), 0.9), -1)
    return linear_from_srgb(picture)


def fence(width: int, height: int, px_per_m: float) -> Light:
    """Posts and one rail near the camera; transparent between them."""
    rng = np.random.default_rng(10)
    picture = np.zeros((height, width, 4), np.uint8)
    box(picture, 0, 0.22 * height, width, 0.12 * height, (*shade("#8C6A4C", 0.95), 255))
    x = 0.0
    while x < width:
        w = 0.16 * px_per_m
        box(
            picture,
            x,
            rng.uniform(0, 0.04) * height,
            w,
            height,
            (*shade("#8C6A4C", rng.uniform(0.8, 1.1)), 255),
        )
        x += rng.uniform(1.5, 1.8) * px_per_m
    roughen(picture, 0.2, 14, 12)
    return linear_from_srgb(picture)


def person(seed: int, stride: float = 0.0) -> Light:
    """A simple figure, 160 x 420; `stride` (-1 to 1) opens the legs."""
    rng = np.random.default_rng(seed)
    colours = [str(c) for c in rng.permutation(BRIGHT)]
    skin = shade(str(rng.choice(["#E8BE98", "#B98560", "#8A5C40"])), 1.0)
    picture = np.zeros((420, 160, 4), np.uint8)
    step = 34 * stride
    for side in (-1, 1):
        foot = 80 + side * (13 + step)
        legs = [(80 + side * 4, 235), (80 + side * 30, 235), (foot + 15, 410), (foot - 11, 410)]
        polygon(picture, legs, (*shade("#4A5468", 0.85 + 0.15 * side), 255))
        box(picture, foot - 14, 402, 34, 16, (*shade(TIMBER, 0.7), 255))
    polygon(picture, [(44, 100), (116, 100), (122, 250), (38, 250)], (*shade(colours[0], 0.95), 255))
    for side in (-1, 1):
        hand = 80 + side * 50 - side * step * 0.6
        arm = [(80 + side * 28, 104), (80 + side * 46, 112), (hand + 10, 238), (hand - 10, 238)]
        polygon(picture, arm, (*shade(colours[0], 0.8), 255))
        cv2.circle(picture, (int(hand), 244), 11, (*skin, 255), -1, cv2.LINE_AA)
    for k in range(3):
        box(picture, 43 - k, 130 + 36 * k, 74 + 2 * k, 9, (*shade(colours[1], 1.0), 255))
    box(picture, 70, 80, 20, 26, (*skin, 255))
    cv2.ellipse(picture, (80, 56), (27, 34), 0, 0, 360, (*skin, 255), -1, cv2.LINE_AA)
    cv2.ellipse(picture, (80, 42), (30, 26), 0, 180, 360, (*shade(colours[2], 0.6), 255), -1, cv2.LINE_AA)
    roughen(picture, 0.10, seed, 16)
    return linear_from_srgb(picture)


def kite(seed: int) -> Light:
    """A diamond kite with its tail and a stretch of string, 220 x 620."""
    rng = np.random.default_rng(seed)
    colours = [(*shade(str(c), 1.0), 255) for c in rng.permutation(BRIGHT)]
    picture = np.zeros((620, 220, 4), np.uint8)
    string = [(110, 120), (95, 300), (60, 470), (4, 616)]
    cv2.polylines(picture, [np.array(string, np.int32)], False, (*shade(SLATE, 0.8), 255), 2, cv2.LINE_AA)
    top, left, right, foot = (110, 6), (34, 104), (186, 104), (110, 226)
    for corners, colour in (
        ([top, left, (110, 104)], colours[0]),
        ([top, right, (110, 104)], colours[1]),
        ([foot, left, (110, 104)], colours[2]),
        ([foot, right, (110, 104)], colours[0]),
    ):
        polygon(picture, corners, colour)
    tail = [(110 + 26 * np.sin(k / 2.2), 226 + 17 * k) for k in range(15)]
    cv2.polylines(picture, [np.array(tail, np.int32)], False, (*shade(SLATE, 0.9), 255), 2, cv2.LINE_AA)
    for k in range(2, 15, 3):
        x, y = tail[k]
        polygon(picture, [(x - 15, y - 7), (x + 15, y + 7), (x + 15, y - 7), (x - 15, y + 7)], colours[k % 4])
    return linear_from_srgb(picture)


def cloth(seed: int, width: int, height: int) -> Light:
    """A painted cloth of bright patches in rows, opaque."""
    rng = np.random.default_rng(seed)
    picture = np.empty((height, width, 3), np.uint8)
    picture[:] = rgb(CREAM)
    patch = height / 6
    for row in range(6):
        x = -rng.uniform(0, patch)
        while x < width:
            w = rng.uniform(0.6, 1.5) * patch
            inset = 0.08 * patch
            colour = shade(str(rng.choice(BRIGHT)), rng.uniform(0.6, 1.0))
            box(picture, x + inset, row * patch + inset, w - 2 * inset, patch - 2 * inset, colour)
            x += w
    roughen(picture, 0.15, seed, 24)
    return linear_from_srgb(picture)
