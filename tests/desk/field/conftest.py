"""What tests of gaps begin with."""

from __future__ import annotations

import pytest

from gezeiten.desk.logger.launching import launch
from gezeiten.desk.logger.offloading import offload_logger
from tests.conftest import STORE_PLAN, Lab


@pytest.fixture
def holed(lab: Lab) -> Lab:
    """A mission of five days whose second day arrived damaged; the plug is good again now."""
    launch(lab.desk, lab.standin.address, lab.serial, STORE_PLAN)
    lab.later(5 * 24 * 60)
    lab.standin.order("fault", damage_blocks=[1, 2])
    offload_logger(lab.desk, lab.standin.address, lab.serial)
    lab.standin.order("fault", damage_blocks=None)
    return lab
