#!/usr/bin/python
# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)

from __future__ import annotations

DOCUMENTATION = r"""
module: check
short_description: Prove that tools work in every new terminal
description:
  - Opens new terminals of the user's shells with C(wyard check), and looks which file each command runs and which version answers.
  - Changes nothing. Fails where a verdict is not C(good).
version_added: 0.2.0
author:
  - the authors of Wagon Yard (@wagon-yard)
extends_documentation_fragment:
  - wagon_yard.wyard.program
attributes:
  check_mode:
    description: It never changes anything.
    support: full
  diff_mode:
    description: There is nothing to compare.
    support: none
  platform:
    description: Windows hosts have the same module in PowerShell, which has never been run.
    platforms: posix, windows
    support: full
options:
  names:
    description:
      - The tools; without any, all that are in use.
    type: list
    elements: str
    default: []
"""

EXAMPLES = r"""
- name: Prove that the tools work
  wagon_yard.wyard.check:
    names: [tidelog, driftc]
    program: "{{ wyard_program }}"
"""

RETURN = r"""
report:
  description: What C(wyard check --json) reports; C(docs/schema/check.json) describes it.
  returned: when the program gave a report
  type: dict
  sample: {"report": "check", "verdict": "good", "tools": [{"name": "tidelog", "version": "4.2.1"}]}
verdicts:
  description: The verdict of each command.
  returned: when the program gave a report
  type: dict
  sample: {"tidelog": "good", "tidelogc": "good"}
"""

from ansible.module_utils.basic import AnsibleModule

from ansible_collections.wagon_yard.wyard.plugins.module_utils.program import ARGUMENTS, GOOD, start


def main():
    arguments = dict(ARGUMENTS, names={"type": "list", "elements": "str", "default": []})
    module = AnsibleModule(argument_spec=arguments, supports_check_mode=True)
    code, report = start(module, ["check", *module.params["names"]])
    commands = [command for tool in report["tools"] for command in tool["commands"]]
    verdicts = {command["name"]: command["verdict"] for command in commands}
    result = {"changed": False, "report": report, "verdicts": verdicts}
    if code == GOOD:
        module.exit_json(**result)
    findings = [finding["seen"] for command in commands for finding in command["findings"]]
    findings += [finding["seen"] for finding in report["findings"]]
    bad = [f"{name}: {verdict}" for name, verdict in verdicts.items() if verdict != "good"]
    module.fail_json(msg="; ".join(bad + findings) or "the check failed", **result)


if __name__ == "__main__":
    main()
