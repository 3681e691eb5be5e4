"""Air, and what it adds to a cone: at 20 degrees C and 101.325 kPa."""

from __future__ import annotations

DENSITY = 1.2041
"""kg/m3."""
SPEED = 343.2
"""m/s."""
REFERENCE_V, REFERENCE_M = 2.83, 1.0


def radius_of(area_m2: float) -> float:
    """Radius in m of a piston of this area."""
    return float((area_m2 / 3.141592653589793) ** 0.5)


def free_air_mass(area_m2: float) -> float:
    """Mass of air in kg that moves with a cone in free air, both sides together: ``8/3 rho a^3`` of a free disc."""
    return 8 / 3 * DENSITY * radius_of(area_m2) ** 3


def box_stiffness(area_m2: float, volume_m3: float) -> float:
    """Stiffness in N/m of a closed box behind a cone: ``rho c^2 Sd^2 / Vb``."""
    return DENSITY * SPEED**2 * area_m2**2 / volume_m3
