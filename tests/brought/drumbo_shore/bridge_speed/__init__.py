"""How fast to lay roads through the air: bridges over one gap, each storey at its own speed."""

from drumbo_shore.bridge_speed.kind import BridgeSpeed

KIND = BridgeSpeed()
