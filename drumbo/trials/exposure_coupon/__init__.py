"""The exposure trial: small coupons of matched positive and negative features, each with a light of its own."""

from drumbo.trials.exposure_coupon.kind import ExposureCoupon

KIND = ExposureCoupon()
