"""The key map: sound for both hands, changed by the person, nothing bound twice."""

import json

from hypothesis import given
from hypothesis import strategies as st

from lather.actions.keymap import (
    KEYS,
    LOGIC,
    PLANES,
    change_key,
    commands_in,
    default_keys,
    keys_of,
    keys_told,
    mirrored_key,
    parts_of,
    plane_of,
    planes,
    reset_keys,
    stages_where,
)
from lather.actions.stages.table import STAGES
from lather.actions.table import MENUS, all_actions
from lather.errors import UsageError
from lather.paths import SOURCE_TREE
from lather.settings.store import Settings
from tests.support import Case

DESKTOP = {
    "job.open": "Ctrl+O", "job.save": "Ctrl+S", "job.save_as": "Ctrl+Shift+S", "edit.undo":
    "Ctrl+Z", "edit.redo": "Ctrl+Shift+Z", "app.quit": "Ctrl+Q", "view.closer": "Ctrl++",
    "view.farther": "Ctrl+-", "app.full_screen": "F11",
}  # fmt: skip


class MapTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.actions = {action.id: action for action in all_actions()}

    def test_every_key_is_that_of_one_command_for_either_hand(self) -> None:
        self.assertLessEqual(set(KEYS), set(self.actions))
        for hand in ("right", "left"):
            settings = Settings()
            settings.set("pen_hand", hand)
            keys = [key for action_id in self.actions for key in default_keys(action_id, hand)]
            of_stages = [key for key in keys if key[:2] in ("F+", "J+")]
            rest = [key for key in keys if key not in of_stages]
            self.assertEqual(sorted(rest), sorted(set(rest)), hand)
            self.assertGreater(len(of_stages), len(set(of_stages)))
            for stage, row in STAGES.items():
                here = commands_in(stage, self.actions.values(), settings)
                letters = {key[2:]: action.id for key, action in here.items() if key in of_stages}
                wanted = {mirrored_key(letter) if hand == "left" else letter: name
                          for letter, name in row.letters.items()}  # fmt: skip
                self.assertEqual(letters, wanted)
                self.assertEqual({key: here[key].id for key in rest}.keys(), set(rest))

    def test_planes_hold_their_own_subject(self) -> None:
        subjects = {"findings": "Finding", "the source": "Source", "areas": "Area",
                    "layers": "Layer", "masks": "Mask", "the view": "View"}  # fmt: skip
        for action in self.actions.values():
            for key in KEYS.get(action.id, ()):
                plane = plane_of(key)
                if plane is not None:
                    with self.subTest(action.id):
                        self.assertIn(plane, PLANES)
                        menu = subjects[PLANES[plane]]
                        # Tools and masks made of areas lie in the plane of what they work on.
                        # So does a lens in the plane of what it shows.
                        self.assertIn(action.menu, (menu, "Tool", "Area", "View"))

    def test_a_letter_means_the_same_everywhere(self) -> None:
        """Makes, takes away, less, more, turned over: by the words of the commands."""
        same = {
            "G": r"delete|remove|clear|erase|paint_back|cut_free|forget",
            "W": r"smaller|softer|less|lower|shrink|gather|shine|lever",
            "E": r"larger|harder|more|raise|grow|next_region|mend_all|swell",
            "T": r"mirror|invert|other_source|ungroup|blind",
        }
        in_planes = [(name, (f"F+{letter}",)) for row in STAGES.values()
                     for letter, name in row.letters.items()]  # fmt: skip
        for name, keys in (*KEYS.items(), *in_planes):
            for key in keys:
                letter = parts_of(key)[-1]
                if letter in same and "Ctrl" not in key:
                    with self.subTest(name):
                        self.assertRegex(name, same[letter])

    def test_only_the_desktop_s_own_have_ctrl(self) -> None:
        for name, key in DESKTOP.items():
            self.assertIn(key, KEYS[name])
        with_ctrl = {name for name, keys in KEYS.items() if any("Ctrl" in key for key in keys)}
        self.assertEqual(with_ctrl - set(DESKTOP), {"app.preferences", "job.deliver"})

    @given(st.sampled_from(sorted({key for keys in KEYS.values() for key in keys})))
    def test_the_mirror_image_of_a_mirror_image_is_the_key(self, key: str) -> None:
        back = {mirrored_key(k): k for keys in KEYS.values() for k in keys}
        self.assertEqual(back[mirrored_key(key)], key)
        self.assertEqual(plane_of(mirrored_key(key)) in planes("left"), plane_of(key) in PLANES)

    def test_a_plus_sign_is_a_key(self) -> None:
        self.assertEqual(parts_of("Ctrl++"), ["Ctrl", "+"])
        self.assertEqual(parts_of("+"), ["+"])
        self.assertEqual(parts_of("X+D"), ["X", "D"])
        self.assertIsNone(plane_of("Ctrl++"))
        self.assertIsNone(plane_of("D"))

    def test_the_page_of_keys_is_current_and_says_the_logic(self) -> None:
        page = (SOURCE_TREE / "docs" / "shortcuts.md").read_text(encoding="utf-8")
        for sentence in LOGIC:
            self.assertIn(sentence, page)
        hands = [Settings(), Settings()]
        hands[1].set("pen_hand", "left")
        for action in self.actions.values():
            self.assertIn(action.menu, MENUS)
            right, left = (", ".join(keys_told(action, hand)) for hand in hands)
            self.assertIn(f"| {action.title} | {right} | {left} | {action.help} |", page)


class ChangeTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "settings.json"
        self.settings = Settings(self.path)
        self.actions = {action.id: action for action in all_actions()}

    def change(self, name: str, key: str | None) -> None:
        change_key(self.actions.values(), self.settings, self.actions[name], key)

    def keys(self, name: str, settings: Settings | None = None) -> tuple[str, ...]:
        return keys_of(self.actions[name], settings or self.settings)

    def test_a_command_takes_another_key_and_keeps_it(self) -> None:
        self.change("layer.new", "N")
        self.change("edit.undo", None)
        self.assertEqual(self.keys("layer.new"), ("N",))
        again = Settings(self.path)
        self.assertEqual((self.keys("layer.new", again), self.keys("edit.undo", again)),
                         (("N",), ()))  # fmt: skip
        self.change("layer.delete", "X+D")  # free by now
        reset_keys(self.settings)
        self.assertEqual(self.keys("layer.new"), ("X+D",))
        self.assertEqual(self.keys("edit.undo"), ("Ctrl+Z", "Z"))

    def test_a_key_in_use_is_refused_by_name(self) -> None:
        with self.assertRaisesRegex(UsageError, "it is the key of 'Mend spot'"):
            self.change("layer.new", "D")
        with self.assertRaisesRegex(UsageError, "opens the plane of layers"):
            self.change("layer.new", "X")
        self.assertEqual(self.keys("layer.new"), ("X+D",))
        self.change("tool.mend_spot", "N")
        self.change("layer.new", "D")
        self.assertEqual(self.keys("layer.new"), ("D",))

    def test_a_key_in_the_plane_of_a_stage_is_told_with_it_and_yields_to_the_person_s(self) -> None:
        even = self.actions["even.shine"]
        self.assertEqual(keys_told(even, self.settings), ("F+W in Even",))
        with self.assertRaisesRegex(UsageError, "it is the key of"):
            self.change("layer.new", "F+W")
        self.change("layer.new", "F+K")
        self.change("tool.push", "F+N")
        for stage in STAGES:
            here = commands_in(stage, self.actions.values(), self.settings)
            self.assertEqual((here["F+K"].id, here["F+N"].id), ("layer.new", "tool.push"))
        self.assertNotIn("F+D", self.keys("tool.push"))
        # A person's own of an earlier Lather, which a stage has a letter for by now.
        self.settings.set("keys", [{"command": "layer.new", "keys": ["F+D"]}])
        for stage in STAGES:
            here = commands_in(stage, self.actions.values(), self.settings)
            self.assertEqual(here["F+D"].id, "layer.new")

    def test_the_key_of_a_plane_may_go_back_to_its_own_command(self) -> None:
        self.change("finding.next", "N")
        self.change("finding.next", "Space")
        self.assertEqual(self.keys("finding.next"), ("Space",))

    def test_nonsense_in_the_file_is_passed_over(self) -> None:
        self.path.write_text(json.dumps({"version": 1, "values": {"keys": [
            {"command": 3, "keys": ["A"]}, {"keys": ["B"]}, {"command": "layer.new", "keys": 7},
            {"command": "tool.erase", "keys": ["N", 4, ""]}, {"command": "gone", "keys": ["K"]},
        ]}}))  # fmt: skip
        settings = Settings(self.path)
        self.assertEqual(self.keys("layer.new", settings), ("X+D",))
        self.assertEqual(self.keys("tool.erase", settings), ("N",))

    @given(st.lists(st.tuples(
        st.sampled_from([action.id for action in all_actions()]),
        st.sampled_from(["N", "M", "D", "X+D", "X", "Space", "Ctrl+S", "F5", "F+D", "F+K", None]),
    ), max_size=12))  # fmt: skip
    def test_whatever_is_changed_no_key_is_bound_twice(self, changes) -> None:
        settings = Settings()
        for name, key in changes:
            try:
                change_key(self.actions.values(), settings, self.actions[name], key)
            except UsageError:
                continue
        for stage in STAGES:
            keys = [key for action in self.actions.values() for key in keys_of(action, settings)
                    if stage in (stages_where(action.id, key, settings) or (stage,))]  # fmt: skip
            self.assertEqual(len(keys), len(set(keys)), stage)
