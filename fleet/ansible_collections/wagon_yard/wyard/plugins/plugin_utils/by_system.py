# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
"""One name for a task on every system."""

from __future__ import annotations

from ansible.plugins.action import ActionBase

COLLECTION = "wagon_yard.wyard"


class BySystem(ActionBase):
    """An action that runs the module of its name, or on a Windows host the one with C(win_) before it."""

    MODULE = ""

    def run(self, tmp=None, task_vars=None):
        return self.run_module(dict(self._task.args), tmp, task_vars)

    def run_module(self, arguments, tmp, task_vars):
        """The result of the module that fits the host."""
        prefix = "win_" if getattr(self._connection._shell, "_IS_WINDOWS", False) else ""
        result = ActionBase.run(self, tmp, task_vars)
        name = f"{COLLECTION}.{prefix}{self.MODULE}"
        result.update(self._execute_module(module_name=name, module_args=arguments, task_vars=task_vars))
        return result
