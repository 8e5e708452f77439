"""The form for a file or pasted cells."""

from __future__ import annotations

from pathlib import PurePath

from django import forms

from lattice.formats.document_json import MAX_BYTES


class BringForm(forms.Form):
    """A file or pasted text; one of them."""

    name = forms.CharField(max_length=120, required=False)
    file = forms.FileField(required=False)
    text = forms.CharField(required=False, strip=False, widget=forms.Textarea)

    def clean_file(self) -> object:
        file = self.cleaned_data["file"]
        if file and file.size > MAX_BYTES:
            size_mib = file.size / 1024 / 1024
            raise forms.ValidationError(
                f"The file has {size_mib:.0f} MiB; at most {MAX_BYTES // 1024 // 1024} are allowed."
            )
        return file

    def clean(self) -> dict[str, object]:
        cleaned: dict[str, object] = super().clean() or self.cleaned_data
        if not self.errors and not cleaned.get("file") and not str(cleaned.get("text") or "").strip():
            raise forms.ValidationError("Select a file, or paste a list of names, spreadsheet rows or a document.")
        return cleaned

    def data_and_name(self) -> tuple[bytes, str]:
        """The imported bytes, and a name for the result."""
        file, name = self.cleaned_data["file"], self.cleaned_data["name"].strip()
        if file:
            return file.read(), name or PurePath(str(file.name)).stem
        return self.cleaned_data["text"].encode(), name or "Pasted list"
