"""The rest trial: a tower whose storeys rest shorter and shorter before they are lit."""

from drumbo.trials.rest_before_light.kind import RestBefore

KIND = RestBefore()
