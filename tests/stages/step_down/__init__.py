"""A regulated step-down converter between source and a DC socket: what whoever adds a stage writes, and nothing else."""

from tests.stages.step_down.route import StepDown

ROUTES = (StepDown(),)
