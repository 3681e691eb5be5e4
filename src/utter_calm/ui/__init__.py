"""The window: the only place that knows Qt. It shows views made elsewhere and hands work to threads."""
