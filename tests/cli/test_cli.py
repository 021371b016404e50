"""The command line: what works writes atomically, what does not says why in one line."""

import contextlib
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np

from lather.cli.clean import KINDS
from lather.cli.main import VERBS, main
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import Part, Region
from lather.document import edits
from lather.document.layers.curves import CurvesLayer
from lather.document.layers.smooth import SmoothLayer
from lather.document.state import new_state
from lather.files.jobs.jobwriter import save_job
from lather.files.photos.reading import read_photo
from tests.files.test_job_file import edited, rewritten
from tests.support import DEMO, Case, photo_in

ROOT = Path(__file__).parents[2]


def call(*words: object) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            status = main([str(word) for word in words])
        except SystemExit as stop:
            status = int(stop.code or 0)
    return status, out.getvalue(), err.getvalue()


class CommandLineTest(Case):
    def test_every_verb_has_help(self) -> None:
        for verb in VERBS:
            status, out, _ = call(verb, "--help")
            self.assertEqual(status, 0)
            self.assertIn("usage: lather", out)
        status, out, _ = call("--help")
        for verb in VERBS:
            self.assertIn(verb, out)

    def test_every_kind_that_can_be_mended_can_be_asked_for(self) -> None:
        mended = {kind.value for kind in Kind
                  if not (kind.belongs_to_person or kind.is_patch)}  # fmt: skip
        self.assertLessEqual(mended, set(KINDS))
        families = {value.split(".")[0] for value in mended}
        self.assertEqual(set(KINDS), mended | families)

    def test_parameters_are_listed_and_set(self) -> None:
        photo = photo_in(self.folder)
        state = edits.add_computed(new_state(photo), CurvesLayer)
        state = edits.add_computed(state, SmoothLayer, scale_px=3.0)
        job, out, other = (self.folder / name for name in ("a.lather", "a.png", "b.png"))
        save_job(state, job)
        facts = json.loads(call("info", job, "--json")[1])
        self.assertEqual(facts["layers"][-1]["parameters"], {"scale_px": 3.0, "edge_l": 6.0})
        self.assertEqual(call("render", job, out)[0], 0)
        status, _, err = call("render", job, other, "--set", "Curves.rgb=0:0 0.5:0.7 1:1",
                              "--set", f"{state.active_id}.scale_px=9 px")  # fmt: skip
        self.assertEqual((status, err), (0, ""))
        self.assertGreater(float(cv2.imread(str(other)).mean() - cv2.imread(str(out)).mean()), 5)
        for wrong, why in (
            ("Curves", "it is not LAYER.PARAMETER=VALUE"), ("Nobody.x=1", "one of 'Curves', "),
            ("Curves.sharp=1", "one of rgb, red, green"),
            ("Smooth.scale_px=-2", "takes 0.3 to 500"),
            ("Smooth.scale_px=nan", "takes 0.3"), ("Curves.rgb=0:0", "takes 2 to 64 points"),
            ("Curves.rgb=up", "is no value"), ("Curves.rgb=0.5:1 0.5:0", "no two above each other"),
        ):
            status, _, err = call("render", job, other, "--set", wrong)
            self.assertEqual(status, 1)
            self.assertIn(why, err)
            self.assertEqual(err.count("\n"), 1)

    def test_split(self) -> None:
        photo = self.folder / "p.png"
        pixels = np.random.default_rng(1).integers(0, 65536, (60, 80, 3)).astype(np.uint16)
        cv2.imwrite(str(photo), pixels)
        tone, texture = self.folder / "tone.tif", self.folder / "texture.tif"
        status, out, _ = call("split", photo, "--tone", tone, "--texture", texture, "--sigma", "5")
        self.assertEqual((status, out), (0, "sigma 5 px\n"))
        parts = [cv2.imread(str(path), cv2.IMREAD_UNCHANGED) for path in (tone, texture)]
        self.assertEqual([part.dtype for part in parts], [np.float32] * 2)
        self.assert_close(sum(parts), pixels / 65535, 0.5 / 65535)
        self.assertLess(float(parts[1].min()), -0.2)
        for words, why in ((("--sigma", "wide"), "neither auto nor a number"),
                           (("--sigma", "900"), "takes 0.3 to 500"), ((), "no face was found")):
            status, _, err = call("split", photo, "--tone", tone, "--texture", texture, *words)
            self.assertEqual(status, 1)
            self.assertIn(why, err)

    def test_info(self) -> None:
        status, out, _ = call("info", DEMO / "portrait1.lather", "--json")
        facts = json.loads(out)
        self.assertEqual((status, facts["photo"]["width"], facts["photo"]["height"]),
                         (0, 2400, 3000))
        self.assertEqual(facts["layers"][1]["strokes"], 34)
        status, out, _ = call("info", DEMO / "portrait2.jpg")
        self.assertIn("1600 x 2000", out)

    def test_info_tells_every_step(self) -> None:
        status, out, _ = call("info", DEMO / "portrait1.lather", "--steps")
        self.assertEqual(status, 0)
        self.assertIn("1 Mend spot\n", out)
        self.assertIn("of the picture; ", out)
        self.assertIn("on 'Mended spots'", out)
        status, out, _ = call("info", DEMO / "portrait1.lather", "--steps", "--json")
        steps = json.loads(out)["steps"]
        self.assertEqual([step["number"] for step in steps], list(range(1, len(steps) + 1)))
        self.assertEqual({step["again"] for step in steps}, {"same"})
        self.assertEqual(steps[0]["id"], "tool.mend_spot")
        self.assertEqual(len(steps[0]["strokes"]), 1)
        status, out, _ = call("info", DEMO / "portrait2.jpg", "--steps")
        self.assertIn("nothing was done yet", out)

    def test_what_is_left_out_of_a_job_is_said(self) -> None:
        """A layer of a newer Lather, strokes that are damaged: the picture comes all the same."""
        def change(job) -> None:
            job["layers"].append({**job["layers"][1], "id": 99, "kind": "glow", "name": "Glow"})
            job["brief"]["style"] = 7
            job["findings"] = 7

        state = edits.add_pixel_layer(new_state(photo_in(self.folder)))
        save_job(state, self.folder / "a.lather")
        job = rewritten(self.folder / "a.lather", self.folder / "b.lather",
                        job_json=edited(change))  # fmt: skip
        status, out, err = call("info", job, "--json")
        self.assertEqual((status, json.loads(out)["layers"][-1]["kind"]), (0, "glow"))
        self.assertIn("the layer 'Glow', which is not shown", err)
        self.assertIn("'style' of the brief", err)
        self.assertIn("1 part of it cannot be read", err)
        status, _, err = call("render", job, self.folder / "out.png")
        self.assertEqual(status, 0)
        self.assertIn("update to see and change it", err)

    def test_render_job_and_photo(self) -> None:
        out = self.folder / "out.tif"
        self.assertEqual(call("render", DEMO / "portrait1.lather", out, "--depth", "16")[0], 0)
        photo = read_photo(out)
        self.assertEqual((photo.width, photo.height, photo.depth_bits), (2400, 3000, 16))
        small = self.folder / "small.jpg"
        self.assertEqual(call("render", DEMO / "portrait2.jpg", small, "--long-side", 500)[0], 0)
        self.assertEqual(read_photo(small).height, 500)

    def test_regions_as_pictures(self) -> None:
        folder, facts_file = self.folder / "regions", self.folder / "s.json"
        photo = self.folder / "skin.png"  # the name that a region has
        bgr = cv2.imread(str(DEMO / "portrait9.jpg"))
        cv2.imwrite(str(photo), cv2.resize(bgr, (640, 800), interpolation=cv2.INTER_AREA))
        asked = ("survey", photo, "--regions", folder, "--json", facts_file)
        self.assertEqual(call(*asked)[0], 0)
        facts = json.loads(facts_file.read_text())
        names = {*(r.value for r in Region), *(f"part_{p.value}" for p in Part)}
        self.assertEqual({path.stem for path in folder.glob("*.png")}, names)
        planes = {name: cv2.imread(str(folder / f"{name}.png"), -1) for name in names}
        self.assertEqual({(p.shape, p.dtype.str) for p in planes.values()}, {((800, 640), "|u1")})
        total = sum(planes[region.value].astype(int) for region in Region)
        self.assertLess(int(np.abs(total - 255).max()), 6)
        for name, share in {**facts["regions"], **facts["parts"]}.items():
            plane = planes[name if name in facts["regions"] else f"part_{name}"]
            self.assertAlmostEqual(float(plane.mean()) / 255, share, delta=0.01)
        self.assertTrue((planes["part_nose"] <= planes["skin"]).all())
        before = photo.read_bytes()
        status, _, err = call("survey", photo, "--regions", self.folder)
        self.assertNotEqual(status, 0)
        self.assertEqual(len(err.strip().splitlines()), 1)
        self.assertEqual(photo.read_bytes(), before)
        status, _, err = call("survey", photo, "--regions", facts_file)
        self.assertNotEqual(status, 0)
        self.assertIn("it is a file", err)

    def test_survey_and_clean(self) -> None:
        facts_file, out = self.folder / "s.json", self.folder / "clean.png"
        status, text, _ = call("survey", DEMO / "portrait2.jpg", "--json", facts_file)
        facts = json.loads(facts_file.read_text())
        self.assertEqual((status, facts["width"], len(facts["faces"])), (0, 1600, 1))
        self.assertIn("mm per pixel", text)
        found = facts["findings"]
        self.assertEqual({f["state"] for f in found}, {"open", "kept"})
        self.assertEqual({f["stage"] for f in found}, {"clean", "even"})
        patches = [f for f in found if f["stage"] == "even"]
        self.assertTrue(all(f["area_mm2"] > 0 for f in patches))
        for item in found:
            self.assertEqual(item["doubtful"], item["certainty"] < 0.5)
        for item in found:
            self.assertEqual(item["advice"] is None, item["state"] == "kept")
        keep = next(f for f in found if f["state"] == "open" and f["kind"] == "blemish.red")
        mark = f"{keep['x']},{keep['y']},4"
        job = self.folder / "clean.lather"
        status, text, _ = call("clean", DEMO / "portrait2.jpg", out, "--keep", mark, "--job", job)
        self.assertEqual(status, 0)
        n_kept = 1 + sum(f["state"] == "kept" for f in found)
        n_mended = sum(
            f["kind"].startswith("blemish") and f["rim_broken"] <= 0.2 and f["state"] == "open"
            for f in found if f is not keep and not f["doubtful"]
        )
        n_open = len(found) - n_kept - n_mended
        self.assertIn(f"{n_mended} mended, {n_kept} kept, {n_open} left open", text)
        before, after = read_photo(DEMO / "portrait2.jpg").samples, read_photo(out).samples
        changed = (before.astype(int) != after).any(-1)
        self.assertTrue(changed.any())
        self.assertLess(changed.mean(), 0.02)
        x, y = int(keep["x"]), int(keep["y"])
        self.assertFalse(changed[y - 2 : y + 3, x - 2 : x + 3].any())
        self.assertEqual(json.loads(call("info", job, "--json")[1])["layers"][1]["name"],
                         "Mended spots")

    def test_bad_input_is_one_line_and_a_status(self) -> None:
        earlier = self.folder / "out.png"
        earlier.write_bytes(b"earlier")
        damaged = self.folder / "damaged.lather"
        damaged.write_bytes((DEMO / "portrait1.lather").read_bytes()[:4000])
        empty = self.folder / "empty.jpg"
        empty.touch()
        for words, reason in (
            (("render", self.folder / "none.jpg", earlier), "no such file"),
            (("render", empty, earlier), "empty"),
            (("render", damaged, earlier), "damaged"),
            (("render", self.folder, earlier), "folder"),
            (("render", DEMO / "portrait2.jpg", self.folder / "x.gif"), "not a format"),
            (("render", DEMO / "portrait2.jpg", self.folder / "x.jpg", "--depth", 16), "8 bit"),
            (("render", DEMO / "portrait2.jpg", earlier, "--quality", 0), "quality"),
            (("render", DEMO / "portrait2.jpg", earlier, "--long-side", 0), "long-side"),
            (("render", DEMO / "portrait2.jpg", "/proc/none/x.png"), "not written"),
            (("info", damaged), "damaged"),
            (("clean", DEMO / "portrait2.jpg", earlier, "--kinds", "wart"), "not a kind"),
            (("clean", DEMO / "portrait2.jpg", earlier, "--keep", "1,2"), "not X,Y,R"),
            (("clean", DEMO / "portrait2.jpg", self.folder / "x.gif"), "not a format"),
            (("survey", empty), "empty"),
            (("bench", "nonsense"), "not a bench"),
            ((self.folder / "none.lather",), "no such file"),
        ):
            with self.subTest(words=[str(word) for word in words]):
                status, _, err = call(*words)
                self.assertNotEqual(status, 0)
                self.assertIn(reason, err)
                self.assertEqual(err.count("\n"), 1, err)
        self.assertEqual(earlier.read_bytes(), b"earlier")
        names = sorted(path.name for path in self.folder.iterdir())
        self.assertEqual(names, ["damaged.lather", "empty.jpg", "out.png"])

    def test_bench_names_its_groups(self) -> None:
        status, out, _ = call("bench", "--list")
        self.assertEqual(status, 0)
        for name in ("stroke", "mend", "open", "export", "memory", "start"):
            self.assertIn(name, out)

    def test_without_a_display_it_says_so(self) -> None:
        environment = {k: v for k, v in os.environ.items()
                       if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
        done = subprocess.run([sys.executable, "-m", "lather"], capture_output=True, text=True,
                              cwd=ROOT, env=environment, check=False)
        self.assertEqual(done.returncode, 1)
        self.assertIn("no display", done.stderr)
