"""Stand-ins of bench instruments: real SCPI servers on a socket of this machine."""
