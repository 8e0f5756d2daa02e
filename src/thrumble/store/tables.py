"""All tables: importing this makes the metadata complete, whichever of them a process uses."""

from thrumble.store.accounts import tables as accounts
from thrumble.store.players import tables as players
from thrumble.store.practice import tables as practice
from thrumble.store.riffs import tables as riffs
from thrumble.store.rig import tables as rig
from thrumble.store.takes import tables as takes
from thrumble.store.teaching import tables as teaching

ROOMS = (players, accounts, riffs, rig, takes, practice, teaching)
