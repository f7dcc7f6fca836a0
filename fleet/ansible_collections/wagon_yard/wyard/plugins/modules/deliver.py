#!/usr/bin/python
# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)

from __future__ import annotations

DOCUMENTATION = r"""
module: deliver
short_description: Set up the tools that a waybill lists
description:
  - Brings a machine to what a waybill says with C(wyard deliver), and proves in new terminals that each command runs.
  - What is there already is left as it is.
version_added: 0.2.0
author:
  - the authors of Wagon Yard (@wagon-yard)
extends_documentation_fragment:
  - wagon_yard.wyard.program
attributes:
  check_mode:
    description: Asks for the plan and changes nothing.
    support: full
  diff_mode:
    description: Shows the plan, a line for each tool, and the settings that are written.
    support: full
  platform:
    description: Windows hosts have the same module in PowerShell, which has never been run.
    platforms: posix, windows
    support: full
options:
  waybill:
    description:
      - The waybill on the host. Paths in it count from its folder.
      - One of O(waybill) and O(content) is needed.
    type: path
  content:
    description:
      - The text of a waybill, from the controller. Sources in it are addresses or absolute paths.
      - In check mode it is what would be delivered, while a file that would be copied first is not on the host yet.
    type: str
  only:
    description:
      - Only these tools, and what they require.
    type: list
    elements: str
    default: []
  retire_others:
    description:
      - Retire the tools that the waybill does not list.
    type: bool
    default: false
  installers:
    description:
      - Run the installers that the waybill allows.
    type: bool
    default: false
"""

EXAMPLES = r"""
- name: Copy the waybill and the downloads that it names
  ansible.builtin.copy:
    src: office/
    dest: /srv/office/
    mode: "0644"

- name: Set up the tools of a workstation
  wagon_yard.wyard.deliver:
    waybill: /srv/office/workstation.toml
    program: "{{ wyard_program }}"

- name: Show what a changed waybill would do
  wagon_yard.wyard.deliver:
    content: "{{ lookup('ansible.builtin.file', 'workstation.toml') }}"
    program: "{{ wyard_program }}"
  check_mode: true
  diff: true

- name: Only tidelog, for all users
  wagon_yard.wyard.deliver:
    waybill: /srv/office/workstation.toml
    only: [tidelog]
    scope: system
  become: true
"""

RETURN = r"""
report:
  description: What C(wyard deliver --json) reports; C(docs/schema/deliver.json) describes it.
  returned: when the program gave a report
  type: dict
  sample: {"report": "deliver", "change": 7, "tools": [{"name": "tidelog", "version": "4.2.1", "state": "done"}]}
undo:
  description: The number that undoes the whole delivery, for C(wyard undo).
  returned: when something was changed
  type: int
  sample: 7
next:
  description: What to do about a failure.
  returned: failure
  type: str
  sample: free some space
"""

import os

from ansible.module_utils.basic import AnsibleModule

from ansible_collections.wagon_yard.wyard.plugins.module_utils.program import ARGUMENTS, GOOD, start

# States of a tool in the report.
PLANNED = "planned"
FAILED = ("failed", "skipped")


def line(tool):
    """A tool of the report as a line of the plan."""
    return f"{tool['name']} {tool['version']}: {', '.join(tool['steps']) or 'as listed'}\n"


def plan(report):
    """The plan as text: what changes, and the settings that are written."""
    after = ""
    for tool in report["tools"]:
        after += line(tool)
        for prepared in tool["prepared"]:
            after += f"{prepared['outcome']} {prepared['file']}\n{prepared['diff'] or ''}"
    return {"before": "".join(line(dict(tool, steps=["not as listed"] if tool["steps"] else [])) for tool in report["tools"]), "after": after}


def main():
    arguments = dict(
        ARGUMENTS,
        waybill={"type": "path"},
        content={"type": "str"},
        only={"type": "list", "elements": "str", "default": []},
        retire_others={"type": "bool", "default": False},
        installers={"type": "bool", "default": False},
    )
    module = AnsibleModule(
        argument_spec=arguments,
        mutually_exclusive=[("waybill", "content")],
        required_one_of=[("waybill", "content")],
        supports_check_mode=True,
    )
    waybill = module.params["waybill"]
    if waybill is None:
        # It goes with the task's own folder.
        waybill = os.path.join(module.tmpdir, "waybill.toml")
        with open(waybill, "w", encoding="utf-8") as opened:
            opened.write(module.params["content"])
    words = ["deliver", waybill]
    for name in module.params["only"]:
        words += ["--only", name]
    if module.params["retire_others"]:
        words.append("--retire-others")
    if module.params["installers"]:
        words.append("--yes")
    if module.check_mode:
        words.append("--dry-run")
    code, report = start(module, words)
    tools = report["tools"]
    changed = any(tool["state"] == PLANNED or tool["change"] is not None for tool in tools)
    result = {"changed": changed, "report": report, "diff": plan(report)}
    if report["change"] is not None:
        result["undo"] = report["change"]
    if code == GOOD:
        module.exit_json(**result)
    failed = [f"{tool['name']} {tool['version']}: {tool['why']}" for tool in tools if tool["state"] in FAILED]
    for checked in report["checks"]:
        for command in checked["commands"]:
            if command["verdict"] != "good":
                seen = "; ".join(finding["seen"] for finding in command["findings"])
                failed.append(f"{command['name']} of {checked['name']}: {command['verdict']}{': ' if seen else ''}{seen}")
    module.fail_json(msg="; ".join(failed) or "the check of the delivered tools failed", **result)


if __name__ == "__main__":
    main()
