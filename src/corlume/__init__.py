"""Corlume: the reef keeper's light bench."""

import os

# threads of a kernel that has ended wait asleep: awake they would take as much of the machine as the kernel itself
os.environ.setdefault("OMP_WAIT_POLICY", "passive")

__version__ = "0.1.0"
