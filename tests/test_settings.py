"""Preferences: whatever the file holds, Lather starts, and nothing of it is lost."""

import json
import os
import subprocess
import sys

from hypothesis import given, settings
from hypothesis import strategies as st

from lather.actions.job.opening import begin
from lather.actions.start import start_workbench
from lather.settings.options import OPTIONS
from lather.settings.store import VERSION, Settings
from tests.support import Answers, Case, photo_in

ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text()
    | st.sampled_from([option.default for option in OPTIONS]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(), inner, max_size=3),
    max_leaves=8,
)  # fmt: skip
DEFAULTS = {option.key: option.default for option in OPTIONS}
DAMAGED = (
    b"", b"{", b"null", b"[]", b"3", b'"x"', b"{}", b'{"values": null}', b'{"values": []}',
    b'{"values": {"appearance": []}}', b'{"values": {"appearance": {}}}',
    b'{"values": {"recent": [[]]}}', b'{"values": {"recent": [5, null]}}',
    b'{"values": {"window": "\\u00e9\\u0000"}}', b'{"version": [], "values": {}}',
    b'{"values": {"backups_kept": 2.5}}', b'{"values": {"history_megabytes": NaN}}',
    b'{"values": {"surround_percent": 1e999}}', b'{"values": {"presets": "x"}}',
    b"\xff\xfe\x00", b"[" * 100_000, b'{"values": ' + b'{"a":' * 100_000, bytes(5_000_000),
)  # fmt: skip


class SettingsTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "settings.json"

    def test_damage_of_any_kind_is_kept_aside_and_told_once(self) -> None:
        for content in DAMAGED:
            with self.subTest(content[:60]):
                self.path.write_bytes(content)
                loaded = Settings(self.path)
                self.assertEqual({key: loaded[key] for key in DEFAULTS}, DEFAULTS)
                self.assertRegex(loaded.notice, r"^[^.]+; the old file is kept as '.*'\.$")
                kept = self.folder / loaded.notice.split("'")[-2]
                self.assertEqual(kept.read_bytes(), content)
                self.assertEqual(Settings(self.path).notice, "")

    @settings(max_examples=200)
    @given(st.dictionaries(st.sampled_from([*DEFAULTS, "of a newer one"]), ANYTHING))
    def test_any_values_give_a_settings_that_works(self, values) -> None:
        self.path.write_text(json.dumps({"version": VERSION, "values": values}))
        loaded = Settings(self.path)
        for option in OPTIONS:
            value = loaded[option.key]
            self.assertTrue(option.accepts(value))
            self.assertIs(type(value), type(option.default))
            given_it = option.key in values and option.accepts(values[option.key])
            self.assertEqual(value, values[option.key] if given_it else option.default)
        bench = start_workbench(loaded, Answers())
        bench.hands.presets  # noqa: B018 - what it holds can be used
        loaded.set("surround_percent", 41)
        self.assertEqual(Settings(self.path)["surround_percent"], 41)

    def test_what_a_newer_lather_keeps_is_left_to_it(self) -> None:
        values = {"appearance": "sepia", "orbit": {"a": 1}, "pen_hand": "left"}
        self.path.write_text(json.dumps({"version": VERSION + 1, "values": values}))
        loaded = Settings(self.path)
        self.assertEqual((loaded["appearance"], loaded["pen_hand"]), ("desktop", "left"))
        self.assertEqual(loaded.notice, "")
        loaded.set("surround_percent", 30)
        kept = json.loads(self.path.read_text())["values"]
        self.assertEqual(kept, {**values, "surround_percent": 30})

    def test_what_is_no_file(self) -> None:
        self.path.mkdir()
        self.assertIn("kept as", Settings(self.path).notice)
        self.path.unlink()
        os.mkfifo(self.path)
        self.assertIn("kept as", Settings(self.path).notice)

    def test_the_window_tells_it_with_what_it_opened(self) -> None:
        for path in (None, photo_in(self.folder).path):
            self.path.write_text("{broken")
            bench, said = start_workbench(Settings(self.path), Answers()), []
            bench.said.connect(lambda text, is_error, said=said: said.append(text))
            begin(bench, path)
            self.assertIn("preferences were damaged", said[-1])

    def test_the_program_starts(self) -> None:
        home = self.folder / "lather"
        home.mkdir()
        (home / "settings.json").write_bytes(b'{"values": null}')
        code = (
            "from PyQt6.QtCore import QTimer\n"
            "import lather.ui.app as app\n"
            "built = app.build\n"
            "def build(*words):\n"
            "    made = built(*words)\n"
            "    QTimer.singleShot(300, made.window.close)\n"
            "    return made\n"
            "app.build = build\n"
            "raise SystemExit(app.run(None))"
        )
        environment = {**os.environ, "XDG_CONFIG_HOME": str(self.folder),
                       "XDG_STATE_HOME": str(self.folder), "QT_QPA_PLATFORM": "offscreen"}
        done = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True,
                              text=True, timeout=120, check=False)  # fmt: skip
        self.assertEqual((done.returncode, "Traceback" in done.stderr), (0, False), done.stderr)
        self.assertTrue((home / "settings.json.unread").exists())
