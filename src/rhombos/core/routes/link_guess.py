"""What one pass of a link's source side takes from the last."""

from __future__ import annotations

from dataclasses import dataclass

from rhombos.core.waves.pulsation import STILL, Pulsation


@dataclass(frozen=True, slots=True)
class Guess:
    """What one pass of the source's side takes from the last: voltages, resistances, pulses, losses, temperatures;
    `aside` is what an auxiliary output drops of the source's voltage, V."""

    v_in: float
    terminal: float
    pulse: float = 0.0
    primary_resistance: float = 0.0
    secondary_resistance: float = 0.0
    choke_resistance: float = 0.0
    diode_drop: float = 1.0
    leak_duty: float = 0.0
    ripple: float = 0.0
    climb: float = 0.0
    stage_loss: float = 0.0
    switching_loss: float = 0.0
    transformer_loss: float = 0.0
    transformer_celsius: float = 75.0
    choke_celsius: float = 75.0
    swing: Pulsation = STILL
    aside: float = 0.0

    def charging_resistance(self, ratio: float) -> float:
        """What a pulse meets on its way, switches and both windings, seen from the secondary, Ω."""
        return ratio**2 * self.primary_resistance + self.secondary_resistance

    def moved(self, other: Guess, scale: float) -> float:
        """The largest relative change between two passes; `scale` is the power asked, W. The last pulse counts by the voltage
        that it drops: each pass makes its own."""
        return max(
            abs(self.v_in - other.v_in) / max(self.terminal, 1e-9),
            abs(self.pulse - other.pulse) * self.primary_resistance / max(self.terminal, 1e-9),
            abs(self.climb - other.climb) / max(abs(self.climb), 1.0),
            abs(self.stage_loss - other.stage_loss) / scale, abs(self.transformer_loss - other.transformer_loss) / scale,
            abs(self.transformer_celsius - other.transformer_celsius) / 1e3,
            abs(self.choke_celsius - other.choke_celsius) / 1e3, 0.1 * self.swing.moved(other.swing),
        )  # fmt: skip
