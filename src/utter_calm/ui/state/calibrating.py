"""Calibrations of the plan's rig, guided: of its impedance, of its microphone."""

from __future__ import annotations

from typing import cast

from utter_calm.errors import UtterCalmError
from utter_calm.job.run.calibration import CalibrationWanted, with_calibration
from utter_calm.job.run.microphone import CalibratorWanted, calibrated_words, with_calibrated
from utter_calm.measure.impedance_sweep import ImpedanceSweepSettings
from utter_calm.present.chain import percent_off
from utter_calm.quantities import si_text
from utter_calm.rig import Calibrated, Rig, SenseCalibration, keep_rig, known_rigs
from utter_calm.ui.state.benched import Benched
from utter_calm.ui.state.worker import AskingWorker, CalibrationWorker, MicrophoneWorker


class Calibrating(Benched):
    """A job on its bench whose rig can be calibrated; ``shared`` carries how far that is."""

    auto_rig: bool
    _worker: AskingWorker | None

    def _begin(self, worker: AskingWorker) -> None:
        """Start what asks and plays."""
        raise NotImplementedError

    def calibrate(self, asked: CalibrationWanted) -> None:
        """Calibrate the impedance of the plan's rig, guided; it is kept with every plan of that rig, and in the library.

        Raises
        ------
        InputError
            The known resistor cannot be read.
        """
        asked.resistor()
        if self._worker is not None:
            return
        rig = self.plan.rig
        step = next((s for s in self.plan.steps if s.kind == "impedance_sweep"), None)
        settings = ImpedanceSweepSettings() if step is None else cast("ImpedanceSweepSettings", step.typed_settings())
        worker = CalibrationWorker(self.bench, rig, asked, settings, auto=self.auto_rig, parent=self)
        worker.shared.connect(self.shared)
        worker.done.connect(lambda made: self._calibrated(rig, made))
        self._begin(worker)

    def _calibrated(self, rig: Rig, made: SenseCalibration) -> None:
        self.edit("calibrate the impedance", with_calibration(self.document, rig, made))
        self._keep_known_rig()
        known = si_text(made.known_ohm, "ohm", digits=4)
        self.told.emit(f"Calibrated and proven: {known} reads {percent_off(made.proof or 0.0)}. It counts for {made.days} days.")

    def calibrate_microphone(self, asked: CalibratorWanted) -> None:
        """Calibrate the microphone of the plan's rig; it is kept with every plan of that rig, and in the library.

        Raises
        ------
        InputError
            The calibrator's level cannot be read.
        """
        asked.pascal()
        if self._worker is not None:
            return
        rig = self.plan.rig
        worker = MicrophoneWorker(self.bench, rig, asked, auto=self.auto_rig, parent=self)
        worker.shared.connect(self.shared)
        worker.done.connect(lambda made: self._microphone_calibrated(rig, made))
        self._begin(worker)

    def _microphone_calibrated(self, rig: Rig, made: Calibrated) -> None:
        words = calibrated_words(rig, made)
        self.edit("calibrate the microphone", with_calibrated(self.document, rig, made))
        self._keep_known_rig()
        self.told.emit(words)

    def _keep_known_rig(self) -> None:
        """A rig of the library is kept there with what was just found."""
        rig = self.plan.rig
        if rig.name in known_rigs():
            try:
                keep_rig(rig)
            except UtterCalmError as problem:
                self.cautioned.emit(str(problem))
