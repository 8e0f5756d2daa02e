"""What was trained or recorded and ships as binary resources: the ear, and the voice that counts
in. The core gets them as values.
"""

from importlib.resources import files

from thrumble.core.ear.model.ear import Ear, unpack_ear

_RESOURCES = files("thrumble.resources")
EAR: Ear = unpack_ear((_RESOURCES / "ear.bin").read_bytes())  # written by training/train.py
VOICE: bytes = (_RESOURCES / "voice.bin").read_bytes()  # written by training/voice.py
