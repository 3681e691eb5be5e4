"""Arrays in, values out: no files, no devices, no state. Linear SI units throughout; float64."""
