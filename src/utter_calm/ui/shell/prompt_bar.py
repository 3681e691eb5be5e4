"""A hand must move: what to do, said over the plot. Nothing modal, for hands may want the rest of the window."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout

from utter_calm.job.run.prompt import CLIP, STANDING, WIRING, Answer, Prompt
from utter_calm.quantities import amplitude_to_db
from utter_calm.quantities.text import fixed
from utter_calm.ui.look.labels import plain_label
from utter_calm.ui.look.leads_sketch import LeadsSketch

_HAND = (
    (Answer.LET_RIG, "Let the rig do it  ⏎", "The simulated rig switches by itself"),
    (Answer.LET_RIG_ON, "And all that follow", "The rig does this, and asks no more in this run for what it can do"),
    (Answer.DONE, "Done by hand", "It was done; go on"),
    (Answer.TAKE, "", ""),
    (Answer.SKIP, "Skip", "Leave this cell out"),
    (Answer.STOP, "Stop", "End the run; finished takes are stored (Esc)"),
)
_LEADS = (
    (Answer.DONE, "Check again  ⏎", "It was put right; listen once more"),
    (Answer.TAKE, "Enter {} as its gain", "What was measured stands for the data sheet's gain, and the leads are looked at again"),
    (Answer.SKIP, "Go on all the same", "Measure as it is; this is not asked again for this unit"),
    (Answer.STOP, "Stop", "End the run; finished takes are stored (Esc)"),
)
_STANDING = (
    (Answer.DONE, "It stands so  ⏎", "All of it is as it says; go on"),
    (Answer.STOP, "Cancel", "Nothing sounds (Esc)"),
)
_WORDS = {WIRING: _LEADS, STANDING: _STANDING}


class PromptBar(QFrame):
    """Shows a :class:`Prompt`; ``answered`` carries the :class:`Answer`."""

    answered = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "prompt")
        # the words above, so that neither they nor a button are squeezed where the middle is narrow
        across = QHBoxLayout(self)
        across.setContentsMargins(16, 10, 12, 10)
        self.sketch = LeadsSketch()
        across.addWidget(self.sketch)
        column = QVBoxLayout()
        across.addLayout(column, 1)
        column.setSpacing(8)
        self.text = plain_label()
        self.text.setWordWrap(True)
        column.addWidget(self.text)
        layout = QHBoxLayout()
        column.addLayout(layout)
        self.buttons: dict[Answer, QPushButton] = {}
        for answer, label, tip in _HAND:
            button = QPushButton(label)
            button.setToolTip(tip)
            button.setAutoDefault(True)
            button.clicked.connect(lambda _checked=False, answer=answer: self._answer(answer))
            layout.addWidget(button)
            self.buttons[answer] = button
        layout.addStretch()
        self._rig_did = False
        self.hide()

    def show_prompt(self, prompt: Prompt) -> None:
        """Ask."""
        self.text.setText(prompt.text)
        self.sketch.setVisible(prompt.factor == CLIP)
        self.sketch.what = str(prompt.value)
        self.sketch.update()
        for answer, label, tip in _WORDS.get(prompt.factor, _HAND):
            self.buttons[answer].setText(
                label.format("" if prompt.gain is None else f"{fixed(amplitude_to_db(prompt.gain), 1)} dB")
            )
            self.buttons[answer].setToolTip(tip)
        self.buttons[Answer.LET_RIG].setVisible(prompt.rig_can)
        # who lets it do one thing after the other need not be asked for each
        self.buttons[Answer.LET_RIG_ON].setVisible(prompt.rig_can and self._rig_did)
        self.buttons[Answer.TAKE].setVisible(prompt.gain is not None)
        self.buttons[Answer.SKIP].setVisible(prompt.factor not in (CLIP, STANDING))
        first = self.buttons[Answer.LET_RIG if prompt.rig_can else Answer.DONE]
        for button in self.buttons.values():
            button.setProperty("role", "primary" if button is first else "")
            button.style().polish(button)
        self.show()
        first.setFocus(Qt.FocusReason.OtherFocusReason)

    def _answer(self, answer: Answer) -> None:
        self._rig_did = answer is Answer.LET_RIG
        self.answered.emit(answer)
