#!/usr/bin/python
# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)

from __future__ import annotations

DOCUMENTATION = r"""
module: snapshot
short_description: Fetch a record of what a machine's terminals find
description:
  - Records a machine with C(wyard snapshot) and fetches the record to the controller, into a folder where each host has a file by
    its name. Nothing of the host is changed.
  - There C(wyard compare --base) and C(wyard page --compare) say which machines differ.
version_added: 0.2.0
author:
  - the authors of Wagon Yard (@wagon-yard)
extends_documentation_fragment:
  - wagon_yard.wyard.program
attributes:
  action:
    description: The file is written on the controller by an action plugin.
    support: full
  check_mode:
    description: Records the machine and writes nothing on the controller.
    support: full
  diff_mode:
    description: There is nothing to compare.
    support: none
  platform:
    description: Windows hosts have the same module in PowerShell, which has never been run.
    platforms: posix, windows
    support: full
options:
  gather_into:
    description:
      - The folder on the controller. The file of a host is C(HOST.json.gz) in it.
    type: path
    required: true
  label:
    description:
      - What the machine is called in the record; by default the host's name in the inventory.
    type: str
  versions:
    description:
      - Ask the commands outside the system's folders for their versions. This starts them.
    type: bool
    default: false
"""

EXAMPLES = r"""
- name: Gather what every machine finds
  wagon_yard.wyard.snapshot:
    gather_into: snapshots
    program: "{{ wyard_program }}"
"""

RETURN = r"""
file:
  description: The fetched file on the controller.
  returned: success, not in check mode
  type: str
  sample: snapshots/pier-3.json.gz
report:
  description: What C(wyard snapshot --json) reports; C(docs/schema/snapshot-written.json) describes it.
  returned: success
  type: dict
  sample: {"report": "snapshot-written", "terminals": 3, "folders": 8, "programs": 1431}
"""

import base64
import os
import tempfile

from ansible.module_utils.basic import AnsibleModule

from ansible_collections.wagon_yard.wyard.plugins.module_utils.program import ARGUMENTS, start


def main():
    arguments = dict(
        ARGUMENTS,
        gather_into={"type": "path", "required": True},
        label={"type": "str"},
        versions={"type": "bool", "default": False},
    )
    module = AnsibleModule(argument_spec=arguments, supports_check_mode=True)
    with tempfile.TemporaryDirectory(prefix="wyard-", dir=module.tmpdir) as folder:
        file = os.path.join(folder, "snapshot.json.gz")
        words = ["snapshot", "--into", file]
        if module.params["label"]:
            words += ["--name", module.params["label"]]
        if module.params["versions"]:
            words.append("--versions")
        code, report = start(module, words)
        with open(file, "rb") as opened:
            packed = base64.b64encode(opened.read()).decode()
    # The action plugin writes it on the controller.
    module.exit_json(changed=False, report=report, packed=packed)


if __name__ == "__main__":
    main()
