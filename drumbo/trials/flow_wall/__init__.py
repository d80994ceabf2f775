"""Flow by wall: closed frames of one and of two roads, measured with callipers."""

from drumbo.trials.flow_wall.kind import FlowWall

KIND = FlowWall()
