"""Remedies: what mends a finding, tried on a copy of the job before anybody is offered it."""
