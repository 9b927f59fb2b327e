"""Shared by all tests."""

from hypothesis import HealthCheck, settings

# Kernels compile at their first call; a deadline would blame whichever example met them.
settings.register_profile(
    "ash", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow], print_blob=True
)
settings.load_profile("ash")
