"""Lab and CIEDE2000 against published values; the view's conversion against its lattice."""

import numpy as np

from lather.core.arrays import quantise, to_float
from lather.core.colour.display import (
    LATTICE_POINTS,
    NO_LATTICE,
    convert,
    lattice_colours,
    lattice_from,
    to_bytes,
    to_screen,
    to_srgb,
)
from lather.core.colour.lab import ciede2000, srgb_to_lab
from tests.support import Case

# Pairs and differences from Sharma, Wu, Dalal 2005, table 1.
SHARMA = (
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0000),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0011), 7.2195),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
    ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
)


class LabTest(Case):
    def test_ciede2000_matches_the_published_pairs(self) -> None:
        for first, second, expected in SHARMA:
            with self.subTest(first=first):
                self.assertAlmostEqual(float(ciede2000(first, second)), expected, places=4)
                self.assertAlmostEqual(float(ciede2000(second, first)), expected, places=4)

    def test_white_black_and_red(self) -> None:
        known = {(1, 1, 1): (100, 0, 0), (0, 0, 0): (0, 0, 0), (1, 0, 0): (53.24, 80.09, 67.20)}
        for rgb, lab in known.items():
            self.assert_close(srgb_to_lab(np.float32(rgb)), lab, 0.02)


class DisplayTest(Case):
    def test_without_lattice_bytes_are_the_rounded_values(self) -> None:
        values = np.random.default_rng(0).random((20, 30, 4)).astype(np.float32)
        values[..., 3] = 1
        shown = to_screen(values, NO_LATTICE, 0.2)
        self.assert_equal_arrays(shown[..., 2::-1], quantise(values[..., :3], np.uint8))
        self.assertTrue((shown[..., 3] == 255).all())

    def test_identity_lattice_changes_nothing(self) -> None:
        values = np.random.default_rng(0).random((20, 30, 4)).astype(np.float32)
        values[..., 3] = 1
        lattice = lattice_from(lattice_colours())
        self.assertEqual(lattice.shape, (LATTICE_POINTS,) * 3 + (3,))
        plain, through = to_screen(values, NO_LATTICE, 0), to_screen(values, lattice, 0)
        self.assertLessEqual(np.abs(plain.astype(int) - through).max(), 1)

    def test_forms_agree_on_a_bent_lattice(self) -> None:
        values = np.random.default_rng(1).random((20, 30, 4)).astype(np.float32)
        lattice = lattice_from(lattice_colours()[..., ::-1] ** 1.7)
        fast, plain = np.empty((20, 30, 4), np.uint8), np.empty((20, 30, 4), np.uint8)
        to_bytes(values, lattice, np.float32(0.3), fast)
        to_bytes.reference(values, lattice, np.float32(0.3), plain)
        self.assertLessEqual(np.abs(fast.astype(int) - plain).max(), 1)

    def test_what_is_measured_goes_through_the_lattice_in_both_forms(self) -> None:
        values = np.random.default_rng(1).random((20, 30, 3)).astype(np.float32)
        lattice = lattice_from(lattice_colours()[..., ::-1] ** 1.7)
        self.assertIs(to_srgb(values, NO_LATTICE), values)
        plain = values.copy()
        convert.reference(plain, lattice)
        self.assert_close(to_srgb(values, lattice), plain, 1e-5)
        self.assert_close(plain, values[..., ::-1] ** 1.7, 0.01)

    def test_transparent_shows_the_surround(self) -> None:
        shown = to_screen(np.zeros((2, 2, 4), np.float32), NO_LATTICE, 0.2)
        self.assertTrue((shown[..., :3] == 51).all())

    def test_samples_survive_the_way_through_float(self) -> None:
        for dtype in (np.uint8, np.uint16):
            every = np.arange(np.iinfo(dtype).max + 1).astype(dtype)
            self.assert_equal_arrays(quantise(to_float(every), dtype), every)
