"""Max volumetric speed by a rising wall: one line round and round, a little faster with every band."""

from drumbo.trials.rising_wall.kind import RisingWall

KIND = RisingWall()
