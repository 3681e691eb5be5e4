"""Sound devices by PortAudio: what is there, and streams that run in a worker process of their own.

When an audio server dies, PortAudio may hang for ever, and a broken configuration ends the whole process at its import; both
happen to the worker alone. Program and worker share memory for samples and counters, and a pipe for words.
"""
