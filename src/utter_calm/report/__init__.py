"""From a job to a document that can be sent to a customer."""
