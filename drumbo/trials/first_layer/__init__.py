"""First layer: patches of one layer over the whole plate, each laid from several heights."""

from drumbo.trials.first_layer.kind import FirstLayer

KIND = FirstLayer()
