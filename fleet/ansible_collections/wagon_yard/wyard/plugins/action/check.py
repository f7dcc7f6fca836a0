# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
"""Runs the module of this name that fits the host's system."""

from __future__ import annotations

from ansible_collections.wagon_yard.wyard.plugins.plugin_utils.by_system import BySystem


class ActionModule(BySystem):
    """The action of the module `check`."""

    MODULE = "check"
