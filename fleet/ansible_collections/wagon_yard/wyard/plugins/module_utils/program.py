# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
"""Calls of the program, and the one document that each prints."""

from __future__ import annotations

import json

ARGUMENTS = {
    "program": {"type": "str", "default": "wyard"},
    "scope": {"type": "str", "choices": ["user", "system"], "default": "user"},
    "yard": {"type": "path"},
}

# How the program ends (README): good, a bad verdict, and anything else is an error.
GOOD = 0
BAD_VERDICT = 1


def call(module, arguments):
    """Runs it with these arguments: its exit code and its report. An error of its own fails the module."""
    command = [module.params["program"], *arguments, "--json", "--scope", module.params["scope"]]
    if module.params["yard"]:
        command += ["--yard", module.params["yard"]]
    code, out, err = module.run_command(command, handle_exceptions=False)
    try:
        report = json.loads(out)
    except ValueError:
        module.fail_json(msg=f"wyard ended with {code} and without a report: {err.strip() or out.strip()}", rc=code)
    if code not in (GOOD, BAD_VERDICT) or report.get("report") == "error":
        causes = "".join(f": {cause}" for cause in report.get("causes", []))
        module.fail_json(msg=f"{report.get('message', 'wyard failed')}{causes}", next=report.get("next"), rc=code, report=report)
    return code, report


def start(module, arguments):
    """The same, where the program may be missing."""
    try:
        return call(module, arguments)
    except OSError as error:
        module.fail_json(msg=f"wyard could not be started as {module.params['program']}: {error}")
