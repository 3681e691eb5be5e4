"""Physical models behind simulated devices: volts in, volts out, block by block, with state between blocks."""
