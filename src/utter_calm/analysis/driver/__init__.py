"""Loudspeaker drivers from their impedance: models, fits of one run or several together, what follows from them."""
