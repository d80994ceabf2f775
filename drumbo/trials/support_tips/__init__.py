"""Support tips: tables on thinner and thinner tips, to find the thinnest that holds."""

from drumbo.trials.support_tips.kind import SupportTips

KIND = SupportTips()
