"""The job file and what older versions of it looked like."""

from utter_calm.job.store.file import JobStore

__all__ = ["JobStore"]
