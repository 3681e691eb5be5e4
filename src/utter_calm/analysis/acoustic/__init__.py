"""Sound in air: what a microphone hears of a loudspeaker, and which part of it is the loudspeaker."""
