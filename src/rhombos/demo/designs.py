"""Made-up designs to open at once: a sound one, the same as first drawn, and another voltage and socket."""

from __future__ import annotations

from rhombos.core.design.file import Design

REFUGE_BRIEF = {
    "source": {"chemistry": "LiFePO4", "cells": 8, "capacity": "100 Ah", "cable_length": "1.2 m"},
    "output": {"voltage": "230 V", "frequency": "50 Hz"},
    "power": {"continuous": "600 W", "surge": "1.2 kW", "surge_time": "5 s", "power_factor": 0.9},
    "loads": ["lamp", "adapter", "fan"],
    "targets": {"efficiency": "88 %", "distortion": "5 %", "idle": "18 W", "ambient": "30 °C"},
}

DEMO: dict[str, Design] = {
    "b6a1f2d0-0000-4000-8000-000000000001": Design.model_validate(
        {"name": "Tarn refuge", "brief": REFUGE_BRIEF, "pins": {"front_end.frequency": 46e3}}
    ),
    "b6a1f2d0-0000-4000-8000-000000000002": Design.model_validate(
        {
            "name": "Tarn refuge, as first drawn",
            "brief": REFUGE_BRIEF,
            "pins": {
                "front_end.frequency": 46e3,
                "front_end.switch": "MN-075-4.2m-A",
                "front_end.clamp": "none",
                "transformer.primary_turns": 3,
                "dc_link.voltage": 390.0,
                "dc_link.capacitor": "CE-450-330",
                "rectifier.diode": "RF-1000-3",
            },
        }
    ),
    "b6a1f2d0-0000-4000-8000-000000000003": Design.model_validate(
        {
            "name": "Slipway workboat",
            "brief": {
                "source": {"chemistry": "LiFePO4", "cells": 16, "capacity": "200 Ah", "cable_length": "2 m"},
                "output": {"voltage": "120 V", "frequency": "60 Hz"},
                "power": {"continuous": "1.5 kW", "surge": "3 kW", "surge_time": "5 s", "power_factor": 0.85},
                "loads": ["heater", "compressor", "adapter"],
                "targets": {"efficiency": "90 %", "distortion": "5 %", "idle": "25 W", "ambient": "40 °C"},
            },
        }
    ),
    "b6a1f2d0-0000-4000-8000-000000000004": Design.model_validate(
        {
            "name": "Lantern box",
            "brief": {
                "source": {"chemistry": "lead-acid", "cells": 6, "capacity": "60 Ah", "cable_length": "0.6 m"},
                "output": {"voltage": "230 V", "frequency": "50 Hz", "waveform": "modified"},
                "power": {"continuous": "120 W", "surge": "240 W", "surge_time": "2 s", "power_factor": 0.95},
                "loads": ["lamp", "adapter"],
                "targets": {"efficiency": "82 %", "distortion": "50 %", "idle": "8 W", "ambient": "30 °C"},
            },
            "pins": {"transformer.core": "E 42/21/15", "front_end.frequency": 33e3},
        }
    ),
    "b6a1f2d0-0000-4000-8000-000000000005": Design.model_validate(
        {
            "name": "Signal hut, on its 48 V rail",
            "brief": {
                "source": {
                    "kind": "DC rail",
                    "nominal": "48 V",
                    "lowest": "42 V",
                    "highest": "54 V",
                    "limit": "30 A",
                    "resistance": "8 mΩ",
                    "capacitance": "2.2 mF",
                    "cable_length": "3 m",
                },
                "output": {"voltage": "230 V", "frequency": "50 Hz"},
                "power": {"continuous": "500 W", "surge": "800 W", "surge_time": "2 s", "power_factor": 0.9},
                "loads": ["instrument", "adapter"],
                "targets": {"efficiency": "90 %", "distortion": "5 %", "idle": "20 W", "ambient": "45 °C"},
            },
        }
    ),
    "b6a1f2d0-0000-4000-8000-000000000006": Design.model_validate(
        {
            "name": "Mast telemetry, 340 V supply",
            "brief": {
                "source": {"chemistry": "LiFePO4", "cells": 8, "capacity": "60 Ah", "cable_length": "0.8 m"},
                "output": {"kind": "DC", "voltage": "340 V", "ripple": "0.5 %", "dip": "3 %"},
                "power": {"continuous": "400 W", "surge": "500 W", "surge_time": "2 s"},
                "targets": {"efficiency": "90 %", "idle": "10 W", "ambient": "45 °C"},
            },
        }
    ),
    "b6a1f2d0-0000-4000-8000-000000000007": Design.model_validate(
        {
            "name": "Ferry landing, on its 380 V rail",
            "route": "direct bridge",
            "brief": {
                "source": {
                    "kind": "DC rail",
                    "nominal": "380 V",
                    "lowest": "361 V",
                    "highest": "399 V",
                    "limit": "8 A",
                    "resistance": "120 mΩ",
                    "capacitance": "470 µF",
                    "cable_length": "2 m",
                },
                "output": {"voltage": "230 V", "frequency": "50 Hz"},
                "power": {"continuous": "1 kW", "surge": "1.5 kW", "surge_time": "2 s", "power_factor": 0.9},
                "loads": ["heater", "adapter"],
                "targets": {"efficiency": "95 %", "distortion": "5 %", "idle": "8 W", "ambient": "35 °C"},
            },
        }
    ),
    "b6a1f2d0-0000-4000-8000-000000000008": Design.model_validate(
        {
            "name": "Model workshop, hot wire beside 340 V",
            "brief": {
                "sources": [{"chemistry": "LiFePO4", "cells": 8, "capacity": "100 Ah", "cable_length": "0.8 m"}],
                "outputs": [
                    {
                        "kind": "DC",
                        "voltage": "340 V",
                        "power": {"continuous": "300 W", "surge": "360 W", "surge_time": "2 s"},
                    },
                    {
                        "kind": "HF",
                        "voltage": "60 V",
                        "frequency": "50 kHz",
                        "cord": "1.2 m",
                        "power": {"continuous": "150 W", "surge": "150 W", "surge_time": "2 s"},
                        "loads": ["heater"],
                    },
                ],
                "targets": {"efficiency": "90 %", "idle": "10 W", "ambient": "35 °C"},
            },
        }
    ),
    "b6a1f2d0-0000-4000-8000-000000000009": Design.model_validate(
        {
            "name": "Repair loft, 115 V 60 Hz from mains",
            "route": "mains bridge",
            "brief": {
                "source": {
                    "kind": "mains",
                    "nominal": "230 V",
                    "lowest": "207 V",
                    "highest": "253 V",
                    "frequency": "50 Hz",
                    "resistance": "400 mΩ",
                    "inductance": "0.8 mH",
                    "hold_up": "10 ms",
                },
                "output": {"voltage": "115 V", "frequency": "60 Hz"},
                "power": {"continuous": "400 W", "surge": "600 W", "surge_time": "2 s", "power_factor": 0.9},
                "loads": ["instrument", "fan"],
                "targets": {"efficiency": "90 %", "distortion": "5 %", "idle": "10 W", "ambient": "30 °C"},
            },
        }
    ),
}
"""By identity, so that loading the demo data twice makes no copies."""
