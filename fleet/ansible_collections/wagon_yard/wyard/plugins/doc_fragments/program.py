# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
"""Options that every module of this collection has."""

from __future__ import annotations


class ModuleDocFragment:
    DOCUMENTATION = r"""
options:
  program:
    description:
      - The C(wyard) program on the host, a path or a name that is looked up there.
      - The role P(wagon_yard.wyard.wyard#role) brings it, and sets C(wyard_program) to where it is.
    type: str
    default: wyard
  scope:
    description:
      - Whose terminals are meant, those of the user of the connection or those of all users.
      - V(system) needs an administrator's rights.
    type: str
    choices: [user, system]
    default: user
  yard:
    description:
      - The yard, if it is not in its usual place.
    type: path
"""
