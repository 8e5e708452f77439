"""Forms of the shelf."""

from __future__ import annotations

from typing import Any, get_args

from django import forms
from msgspec.structs import replace

from lattice.edits import apply
from lattice.model.document import FrameRate, Profile, Template
from lattice.model.layouts import NAMED

RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)


def _select() -> forms.Select:
    return forms.Select(attrs={"class": "form-select"})


def _rates() -> list[tuple[int, str]]:
    return [(rate, f"{rate:,} Hz".replace(",", " ")) for rate in RATES_HZ]


class NewFromForm(forms.Form):
    """The name, tempo, rate and file tags of a template that begins as another one."""

    name = forms.CharField(max_length=120, label="Name")
    tempo_bpm = forms.FloatField(label="Tempo, BPM", min_value=1, max_value=1000)
    sample_rate_hz = forms.TypedChoiceField(label="Sample rate", coerce=int, widget=_select())
    info = forms.CharField(label="File tags", required=False, widget=forms.Textarea(attrs={"rows": 4}))

    def __init__(self, *arguments: Any, **choices: Any) -> None:
        super().__init__(*arguments, **choices)
        now_hz = self.initial["sample_rate_hz"]
        rates = _rates()
        known = rates if now_hz in RATES_HZ else [(now_hz, f"{now_hz} Hz"), *rates]
        self.fields["sample_rate_hz"].choices = known  # type: ignore[attr-defined]

    @staticmethod
    def of(template: Template) -> dict[str, Any]:
        """Its tempo and rate; names of its file tags without their texts, which are those of its maker."""
        return {
            "tempo_bpm": f"{template.tempo_bpm:g}",
            "sample_rate_hz": template.sample_rate_hz,
            "info": "\n".join(f"{name}: " for name in template.info),
        }

    def template(self, template: Template) -> Template:
        """The new template. Raises DocumentError for lines that are no tags."""
        said = self.cleaned_data
        lines = (line for line in said["info"].splitlines() if line.strip())
        filled = [line for line in lines if not line.strip().endswith(":")]
        made = apply(template, "set_info", {"lines": filled})
        return replace(made, name=said["name"], tempo_bpm=said["tempo_bpm"], sample_rate_hz=said["sample_rate_hz"])


class NewForm(forms.Form):
    """A template's name, and the settings needed before the first strip."""

    name = forms.CharField(max_length=120, label="Name")
    tempo_bpm = forms.FloatField(label="Tempo", initial=120, min_value=1, max_value=1000, required=False)
    sample_rate_hz = forms.TypedChoiceField(
        label="Sample rate", choices=_rates(), coerce=int,
        initial=48_000, required=False, widget=_select(),
    )  # fmt: skip
    frame_rate = forms.ChoiceField(
        label="Frame rate",
        choices=[("", "no picture"), *((rate, rate) for rate in get_args(FrameRate))],
        required=False,
        widget=_select(),
    )
    layout = forms.ChoiceField(
        label="Delivered in",
        choices=[(one, one) for one in NAMED],
        initial="stereo",
        required=False,
        widget=_select(),
    )

    def chosen(self) -> list[forms.BoundField]:
        """Those that are chosen from a list."""
        return [self["sample_rate_hz"], self["frame_rate"], self["layout"]]

    def template(self) -> Template:
        """The new empty template."""
        said = self.cleaned_data
        rate_hz = said["sample_rate_hz"] or 48_000
        profile = Profile(sample_rate_hz=rate_hz, layouts=(said["layout"] or "stereo",))
        frame_rate = said["frame_rate"] or None
        return Template(
            name=said["name"], tempo_bpm=said["tempo_bpm"] or 120.0, sample_rate_hz=rate_hz,
            frame_rate=frame_rate, profile=replace(profile, frame_rate=frame_rate),
        )  # fmt: skip
