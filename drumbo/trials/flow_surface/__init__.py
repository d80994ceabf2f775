"""Flow by surface: a row of pads whose tops are each printed at their own flow ratio, scored for gaps and ridges."""

from drumbo.trials.flow_surface.kind import FlowSurface

KIND = FlowSurface()
