# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
"""Records a machine by the module of this name, and writes the record on the controller."""

from __future__ import annotations

import base64
import os
import pathlib

from ansible.errors import AnsibleActionFail

from ansible_collections.wagon_yard.wyard.plugins.plugin_utils.by_system import BySystem


class ActionModule(BySystem):
    """The action of the module `snapshot`."""

    MODULE = "snapshot"

    def run(self, tmp=None, task_vars=None):
        host = task_vars["inventory_hostname"]
        arguments = dict(self._task.args)
        arguments["label"] = arguments.get("label") or host
        result = self.run_module(arguments, tmp, task_vars)
        packed = result.pop("packed", None)
        if packed and not self._task.check_mode:
            into = pathlib.Path(self._loader.path_dwim(os.path.expanduser(arguments["gather_into"])))
            # An inventory may have any name for a host: it must not lead elsewhere.
            target = into / (host.replace("/", "_").replace("\\", "_") + ".json.gz")
            part = target.with_suffix(".part")
            try:
                into.mkdir(parents=True, exist_ok=True)
                part.write_bytes(base64.b64decode(packed))
                part.replace(target)
            except OSError as error:
                raise AnsibleActionFail(f"the snapshot of {host} could not be written: {error}") from error
            result["file"] = str(target)
        return result
