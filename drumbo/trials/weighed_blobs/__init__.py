"""Max volumetric speed by weighing: blobs at rising flow, in rows at several temperatures."""

from drumbo.trials.weighed_blobs.kind import WeighedBlobs

KIND = WeighedBlobs()
