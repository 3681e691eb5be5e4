"""The coverage: steps down, setups across."""
