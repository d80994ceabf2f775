"""From a solid to roads: slices, walls, tops, bridges, infill, travels, and the events between them."""

from drumbo.core.toolpath.build import Override, RawPath, SpiralLoop, ToolChange, Zone, build
from drumbo.core.toolpath.columns import Event, Role, Toolpath, path_motion
from drumbo.core.toolpath.settings import PrintSettings, settings_for

__all__ = [
    "Event",
    "Override",
    "PrintSettings",
    "RawPath",
    "Role",
    "SpiralLoop",
    "ToolChange",
    "Toolpath",
    "Zone",
    "build",
    "path_motion",
    "settings_for",
]
