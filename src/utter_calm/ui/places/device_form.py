"""The device behind the rig: what is there, which of it plays and listens, a tone to tell outputs apart, meters of the inputs."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from PySide6.QtWidgets import QComboBox, QPushButton, QWidget

from utter_calm.present.devices import SIMULATED, DeviceChoice, choices, rates_text
from utter_calm.rig import Found, FoundDevice, Rig, SoundAddress, find_devices
from utter_calm.rig.sound.address import USUAL_BUFFER_S
from utter_calm.rig.sound.choose import on_device
from utter_calm.ui.look.fields import QuantityEdit
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.popup_form import FormLine, PopupForm
from utter_calm.ui.places.device_check import DeviceCheck
from utter_calm.ui.state.session import JobSession
from utter_calm.ui.state.worker import Computation

Apply = Callable[[str, Rig], None]
_LOOKING = "looking for devices…"


class DeviceForm(PopupForm):
    """Chooses the device; looks for what is there on a thread of its own, for an audio server may take its time."""

    def __init__(self, parent: QWidget, session: JobSession, apply: Apply) -> None:
        rig = session.plan.rig
        self._session, self._rig, self._apply_rig = session, rig, apply
        self._found = Found()
        sound = rig.sound
        self._chosen = ("", "", "") if sound is None else (sound.host, sound.output, sound.input)
        self._hears_through = "" if sound is None else sound.hears_through
        buffer_s = USUAL_BUFFER_S if sound is None else sound.buffer_s
        self.output, self.input = _box("Device that plays"), _box("Device that listens")
        lines = [
            FormLine("input", "Listens by", self.input),
            FormLine("output", "Plays on", self.output),
            FormLine("buffer", "Ahead of the device by", QuantityEdit("Buffer", "s", buffer_s), rare=True),
        ]  # fmt: skip
        super().__init__(parent, "Sound device", lines, self._accept, stays=True)
        self.state = plain_label(_LOOKING)
        self.state.setProperty("role", "soft")
        self.state.setWordWrap(True)
        self.add_beneath(self.state)
        self.check = DeviceCheck(session, self.chosen_rig, self.say, getattr(parent.window(), "hush", lambda: None))
        self.add_beneath(self.check)
        self.again: QPushButton = self.add_button("Look again", self.look)
        done = self.add_button("Close  Esc", self.close)
        self._buttons.removeWidget(done)
        self._buttons.addWidget(done)
        self.input.currentIndexChanged.connect(self._input_chosen)
        self.output.currentIndexChanged.connect(self._say_rates)
        self.closed.connect(self.check.stop)
        self._show(Found())
        self.look()

    def look(self) -> None:
        """Look for devices; the answer comes by itself."""
        self.check.stop()
        self.again.setEnabled(False)
        self.state.setText(_LOOKING)
        looking = Computation(find_devices, self._session)
        looking.done.connect(self._looked)
        self._session.start(looking)

    def _looked(self, found: object) -> None:
        self.again.setEnabled(True)
        self._show(cast("Found", found))

    def _show(self, found: Found) -> None:
        self._found = found
        host, output, listening = self._chosen
        for box, name, through, playing in ((self.input, listening, self._hears_through, False), (self.output, output, host, True)):
            box.blockSignals(True)
            box.clear()
            box.addItem("nothing: it only listens" if playing else SIMULATED, None)
            for choice in choices(found, through, name, playing=playing):
                box.addItem(choice.text, choice)
                if (choice.host, choice.name) == (through, name):
                    box.setCurrentIndex(box.count() - 1)
            box.blockSignals(False)
        self._say_rates()

    def _input_chosen(self) -> None:
        """What listens plays too, where it can, until another is chosen."""
        choice = _choice(self.input)
        if choice is not None:
            for index in range(self.output.count()):
                other = self.output.itemData(index)
                if other is not None and (other.host, other.name) == (choice.host, choice.name):
                    self.output.setCurrentIndex(index)
        self._say_rates()

    def _say_rates(self) -> None:
        self.output.setEnabled(_choice(self.input) is not None)
        both = (self._device(self.output), self._device(self.input))
        words = [rates_text(*both)] if _choice(self.input) is not None else ["Everything is simulated; nothing sounds."]
        if self._found.problem:
            words.append(self._found.problem)
        self.state.setText(" ".join(w for w in words if w))
        there = [d for d in both if d is not None]
        rates = tuple(r for r in there[0].rates_hz if all(r in d.rates_hz for d in there)) if there else ()
        self.check.offer(both[0].outputs if both[0] is not None else 0, both[1].inputs if both[1] is not None else 0, rates)
        self.fit()

    def _device(self, box: QComboBox) -> FoundDevice | None:
        choice = _choice(box)
        return choice.device if choice is not None and box.isEnabled() else None

    def chosen_rig(self) -> Rig:
        """The rig on what is chosen; errors as in :func:`on_device`."""
        listens, plays = _choice(self.input), _choice(self.output)
        if listens is None:
            return on_device(self._rig, None)
        address = SoundAddress(
            host=listens.host if plays is None else plays.host, output="" if plays is None else plays.name, input=listens.name,
            input_host=listens.host if plays is not None and plays.host != listens.host else "", buffer_s=self.quantity("buffer"),
        )  # fmt: skip
        outputs = 0 if plays is None else plays.device.outputs if plays.device is not None else None
        return on_device(self._rig, address, outputs=outputs, inputs=listens.device.inputs if listens.device else None)

    def _accept(self, _form: PopupForm) -> None:
        self.check.stop()
        rig = self.chosen_rig()
        self._apply_rig(f"use {rig.device}", rig)
        self._rig = rig
        self.close()


def _box(label: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(label)
    box.setMinimumWidth(400)
    return box


def _choice(box: QComboBox) -> DeviceChoice | None:
    return cast("DeviceChoice | None", box.currentData())
