"""The demo job: the planetarium's delivery, its purchase sheet, and how it is measured. All of it is made up."""

from utter_calm.demo.document import demo_document

__all__ = ["demo_document"]
