"""Fields for a rig's further limits: samples, sound pressure, and from where on a warning comes first."""

from __future__ import annotations

from utter_calm.quantities import SPL_REFERENCE_PA, amplitude_to_db, parse_quantity
from utter_calm.quantities.text import fixed, typed_text
from utter_calm.rig.protection import Protection
from utter_calm.ui.look.fields import text_line
from utter_calm.ui.look.popup_form import FormLine, PopupForm


def protection_lines(known: Protection) -> list[FormLine]:
    """Lines for the limits; what is not limited is empty."""
    sound = "" if known.ceiling_pa is None else f"{fixed(amplitude_to_db(known.ceiling_pa / SPL_REFERENCE_PA), 1)} dB SPL"
    loud = "" if known.loud_v is None else typed_text(known.loud_v, "V")
    texts = (
        ("fs", "No output exceeds", f"{fixed(amplitude_to_db(known.ceiling_fs), 1)} dBFS", "as in -6 dBFS"),
        ("sound", "Silent at once above, at the microphone", sound, "as in 105 dB SPL"),
        (
            "loud",
            "A real device counts down from",
            loud,
            "empty for never",
        ),
    )
    lines = []
    for key, label, text, example in texts:
        field = text_line(text, label)
        field.setPlaceholderText(example)
        lines.append(FormLine(key, label, field, rare=key == "fs"))
    return lines


def protection_of(form: PopupForm) -> Protection:
    """What was typed; errors of a value that cannot be read."""
    sound, loud, samples = (form.text(key) for key in ("sound", "loud", "fs"))
    return Protection(
        ceiling_fs=parse_quantity(samples, "FS", what="ceiling of the outputs") if samples else 1.0,
        ceiling_pa=parse_quantity(sound, "Pa", what="ceiling at the microphone") if sound else None,
        loud_v=parse_quantity(loud, "V", what="level that is warned of") if loud else None,
    )
