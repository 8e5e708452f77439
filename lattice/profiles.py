"""Starting profiles: the requirements of a delivery, each figure with its source."""

from __future__ import annotations

from dataclasses import dataclass

from lattice.model.document import Profile


@dataclass(frozen=True)
class Preset:
    """A profile and the source of each figure it sets; figures it does not name are the house's."""

    id: str
    profile: Profile
    sources: dict[str, str]  # field → source


PRESETS = (
    Preset(
        "ebu-r128",
        Profile(
            name="EBU R 128",
            loudness_lufs=-23.0,
            loudness_tolerance_lu=0.5,
            true_peak_dbtp=-1.0,
            operating_level_dbfs=-18.0,
        ),
        {
            "loudness_lufs": "EBU R 128: programme loudness −23.0 LUFS",
            "loudness_tolerance_lu": "EBU R 128: ±0.5 LU, ±1.0 LU for live programmes",
            "true_peak_dbtp": "EBU R 128: maximum true peak −1 dBTP",
            "operating_level_dbfs": "EBU R 68: alignment level −18 dBFS, a sine",
            "sample_rate_hz": "48 kHz for picture work (common practice)",
        },
    ),
    Preset(
        "atsc-a85",
        Profile(
            name="ATSC A/85",
            loudness_lufs=-24.0,
            loudness_tolerance_lu=2.0,
            true_peak_dbtp=-2.0,
            operating_level_dbfs=-20.0,
        ),
        {
            "loudness_lufs": "ATSC A/85: −24 LKFS",
            "loudness_tolerance_lu": "ATSC A/85: ±2 dB",
            "true_peak_dbtp": "ATSC A/85: −2 dBTP",
            "operating_level_dbfs": "SMPTE RP 155: reference level −20 dBFS, a sine",
            "sample_rate_hz": "48 kHz for picture work (common practice)",
        },
    ),
    Preset(
        "pre-master",
        Profile(name="Pre-master", mix_headroom_db=6.0),
        {
            "mix_headroom_db": "about 6 dB on an unlimited mix (common practice)",
            "true_peak_dbtp": "−1 dBTP as in EBU R 128, if a limiter stays in",
        },
    ),
)


def preset(id_: str) -> Preset:
    """The preset of an id. Raises KeyError for an id that is none of PRESETS."""
    return {found.id: found for found in PRESETS}[id_]
