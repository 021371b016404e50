"""What a pressed key is called in the key map, whatever script the keyboard writes."""

from __future__ import annotations

from PyQt6.QtCore import QKeyCombination, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence

# The rows of a keyboard, and the code that Linux's input layer gives to the first key of each;
# X11 and Wayland add 8 to it (linux/input-event-codes.h; "X Keyboard Extension", keycodes evdev).
_ROWS = ((2, "1234567890"), (16, "QWERTYUIOP"), (30, "ASDFGHJKL;"), (44, "ZXCVBNM,./"))
_ADDED = 8
BY_PLACE = {first + n + _ADDED: key for first, row in _ROWS for n, key in enumerate(row)}
# The same places where no code comes along, as from keyboards on the screen.
_SAME_PLACE = dict(zip(
    "ЙЦУКЕНГШЩЗФЫВАПРОЛДЖЯЧСМИТЬБЮІЄ" "ςΕΡΤΥΘΙΟΠΑΣΔΦΓΗΞΚΛΖΧΨΩΒΝΜ",
    "QWERTYUIOPASDFGHJKL;ZXCVBNM,.S'" "WERTYUIOPASDFGHJKLZXCVBNM", strict=True,
))  # fmt: skip
_LAST_LATIN = 0x24F  # of Unicode's Latin blocks: those letters are what is written on the key


def name_of(event: QKeyEvent) -> str:
    """A pressed key with its modifiers, in the notation of the key map.

    Letters of another script count by their place on the keyboard, as the key map means them.
    """
    # The pad of digits is no other key, and capitals are told by the modifier.
    modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
    key = Qt.Key(event.key())
    if key in (Qt.Key.Key_Control, Qt.Key.Key_Shift, Qt.Key.Key_Alt, Qt.Key.Key_Meta):
        return ""
    if _LAST_LATIN < key.value < Qt.Key.Key_Escape.value:
        letter = chr(key.value)
        place = BY_PLACE.get(event.nativeScanCode()) or _SAME_PLACE.get(letter) or (
            _SAME_PLACE.get(letter.upper(), ""))  # fmt: skip
        if place:
            key = Qt.Key(ord(place))
    return QKeySequence(QKeyCombination(modifiers, key)).toString()
