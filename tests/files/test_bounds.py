"""Jobs at the reader's bounds are saved and open again; one step beyond does not happen."""

from dataclasses import replace

from lather.core.bounds import DEEPEST_GROUPS, MOST_FINDINGS, MOST_LAYERS, MOST_POINTS
from lather.document import edits
from lather.document.digest import digest
from lather.document.findings import Findings
from lather.document.job import Job
from lather.document.layers.group import GroupLayer
from lather.document.layers.layer import new_id
from lather.document.layers.pixels import PixelLayer
from lather.document.state import JobState, new_state
from lather.errors import EditError
from lather.files.jobs.jobfile import load_job
from lather.files.jobs.jobwriter import save_job
from lather.files.jobs.tilecodec import decode_tile, encode_tile
from lather.files.photos.png import is_whole
from tests.support import Case, finding, photo_in, random_tile


class BoundsTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.start = new_state(photo_in(self.folder, width=40, height=30))

    def assert_opens_again(self, state: JobState) -> None:
        path = self.folder / "a.lather"
        job = Job(self.start)
        job.change("To the bound", state)
        save_job(job.state, path)
        self.assertEqual(digest(load_job(path).state), digest(state))

    def assert_refused(self, state: JobState, why: str) -> None:
        job = Job(self.start)
        with self.assertRaisesRegex(EditError, why):
            job.change("Beyond", state)
        self.assertIs(job.state, self.start)

    def test_layers(self) -> None:
        layers = [PixelLayer(id=new_id(), name=f"{n}") for n in range(MOST_LAYERS)]
        self.assert_opens_again(replace(self.start, layers=(*self.start.layers, *layers[1:])))
        self.assert_refused(replace(self.start, layers=(*self.start.layers, *layers)), "layers")

    def test_depth(self) -> None:
        inner: tuple = (PixelLayer(id=new_id(), name="innermost"),)
        for number in range(DEEPEST_GROUPS - 1):
            inner = (GroupLayer(id=new_id(), name=f"{number}", children=inner),)
        self.assert_opens_again(replace(self.start, layers=(*self.start.layers, *inner)))
        inner = (GroupLayer(id=new_id(), name="one more", children=inner),)
        self.assert_refused(replace(self.start, layers=(*self.start.layers, *inner)), "deep")

    def test_findings(self) -> None:
        path = tuple((float(n % 40), float(n % 30)) for n in range(MOST_POINTS))
        first = replace(finding(1, 5.0, 5.0), path_px=path)
        items = tuple(replace(first, id=n, path_px=path if n == 1 else ())
                      for n in range(1, MOST_FINDINGS + 1))  # fmt: skip
        self.assert_opens_again(edits.set_findings(self.start, Findings(items=items)))
        more = (*items, replace(first, id=MOST_FINDINGS + 1))
        with self.assertRaisesRegex(EditError, "the findings would be 20,001, more than 20,000"):
            Findings(items=more)


class TileTest(Case):
    def test_a_tile_that_says_it_holds_more_than_there_is_takes_no_room(self) -> None:
        encoded = bytearray(encode_tile(random_tile(1)))
        self.assertTrue(is_whole(bytes(encoded)))
        at = encoded.index(b"IDAT") - 4
        encoded[at : at + 4] = b"\xff\xff\xff\xf0"
        with self.assertRaisesRegex(ValueError, "ends too early"):
            decode_tile(bytes(encoded), 256, 256, 4)
