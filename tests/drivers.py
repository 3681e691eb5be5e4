"""Drivers, boxes and parts with a known truth, for tests: closed forms, no code of the program's."""

import numpy as np

RHO, C = 1.2041, 343.2
FREQUENCY = np.geomspace(5, 20_000, 500)
TRUTH = {"re": 6.0, "bl": 9.1529, "mms": 0.025, "cms": 0.63326e-3, "rms": 1.25664, "sd": 0.0133}
RADIUS = np.sqrt(TRUTH["sd"] / np.pi)

COILS = {
    "none": lambda s: 0 * s,
    "inductance": lambda s: 1e-3 * s,
    "power": lambda s: 0.02 * s**0.7,
    "lr2": lambda s: 2e-4 * s + 1 / (1 / (4e-4 * s) + 1 / 6),
    "wright": lambda s: 3e-3 * np.abs(s) ** 0.75 + 8e-3j * np.abs(s) ** 0.75,
    "shunted": lambda s: 1e-4 * s + 1 / (1 / (1.5e-3 * s) + 1 / (0.05 * np.sqrt(s)) + 1 / 60),
    "lr3": lambda s: 1e-4 * s + 1 / (1 / (3e-4 * s) + 1 / 3) + 1 / (1 / (5e-4 * s) + 1 / 20),
}


def driver(frequency=FREQUENCY, *, coil="power", mass=0.0, box=None, air=0.0, creep=0.0, softer=1.0, **other):
    """Impedance of the reference driver: with a mass, in a box (m3, with more air moved), with creep, with other parameters."""
    t = {**TRUTH, **other}
    s = 2j * np.pi * np.asarray(frequency)
    cms = t["cms"] * softer * (1 - creep * np.log10(s / (2 * np.pi * resonance(t))))
    stiffness = 0.0 if box is None else RHO * C**2 * t["sd"] ** 2 / box
    return t["re"] + COILS[coil](s) + t["bl"] ** 2 / (t["rms"] + s * (t["mms"] + mass + air) + 1 / (s * cms) + stiffness / s)


def resonance(t=TRUTH):
    return 1 / (2 * np.pi * np.sqrt(t["mms"] * t["cms"]))


def expected(t=TRUTH):
    """Parameters in closed form."""
    w = 1 / np.sqrt(t["mms"] * t["cms"])
    qms, qes = w * t["mms"] / t["rms"], w * t["mms"] * t["re"] / t["bl"] ** 2
    at_volt = RHO * t["sd"] * t["bl"] / (2 * np.pi * t["re"] * t["mms"])
    return {
        **t, "fs": w / 2 / np.pi, "qms": qms, "qes": qes, "qts": qms * qes / (qms + qes), "res": t["bl"] ** 2 / t["rms"],
        "vas": RHO * C**2 * t["sd"] ** 2 * t["cms"], "mmd": t["mms"] - 8 / 3 * RHO * np.sqrt(t["sd"] / np.pi) ** 3,
        "eta0": RHO * t["bl"] ** 2 * t["sd"] ** 2 / (2 * np.pi * C * t["re"] * t["mms"] ** 2),
        "sensitivity_2v83": 2.83 * at_volt, "sensitivity_1w": np.sqrt(t["re"]) * at_volt,
    }  # fmt: skip


def vented(frequency=FREQUENCY, *, alpha=0.79435, fb=38.0, ql=7.0, coil="power"):
    """Impedance in a vented box with leakage losses (Small 1973)."""
    s, ws, wb = 2j * np.pi * np.asarray(frequency), 2 * np.pi * 40.0, 2 * np.pi * fb
    box = alpha * ws**2 * s**2 / (s**2 + s * wb / ql + wb**2)
    return 6 + COILS[coil](s) + 6 * ws / 0.45 * s / (s**2 + s * ws / 5 + ws**2 + box)


def wave(frequency, at, q, ohm):
    """A small resonance, to be put on an impedance."""
    s, w = 2j * np.pi * np.asarray(frequency), 2 * np.pi * at
    return ohm * s * w / q / (s**2 + s * w / q + w**2)


def noisy(z, part, rng):
    """With noise of a part of the magnitude on both parts."""
    return z * (1 + part * (rng.standard_normal(len(z)) + 1j * rng.standard_normal(len(z))))


def write_curve(path, frequency, z, *, phase=True, digits=7):
    rows = (
        f"{f:.{digits}g} {abs(v):.{digits}g}" + (f" {np.degrees(np.angle(v)):.5f}" if phase else "")
        for f, v in zip(frequency, z, strict=True)
    )
    path.write_text("* made up\n" + "\n".join(rows) + "\n")
    return path
