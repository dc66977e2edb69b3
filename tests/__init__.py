"""Tests of Hanabira. Run them with ``python -m tests [names…]``.

They all live on one day: whatever asks the machine's clock in their processes gets this one, which then runs on. Another day can be set
from outside: ``HANABIRA_NOW=2028-02-29T23:00 python -m tests``.
"""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("QT_LOGGING_RULES", "qt.qpa.fonts=false")
os.environ.setdefault("HANABIRA_NOW", "2026-09-15T10:20:00")

from hypothesis import HealthCheck, settings  # noqa: E402

# how busy a machine is must not decide whether a test passes, nor which examples it tries; HANABIRA_EXPLORE tries new ones
settings.register_profile(
    "hanabira", deadline=None, suppress_health_check=[HealthCheck.too_slow], derandomize=not os.environ.get("HANABIRA_EXPLORE"), database=None
)
settings.load_profile("hanabira")
