"""Static files under names with a digest of their content, so that browsers cache them permanently."""

from __future__ import annotations

from django.contrib.staticfiles.storage import ManifestStaticFilesStorage, StaticFilesStorage


class HashedFiles(ManifestStaticFilesStorage):
    """The files that `collectstatic` has collected at the start of `serve`; before that, as in tests, plain names.

    They are not compressed here: that would take six seconds at each start, and a proxy does it.
    """

    manifest_strict = False
    support_js_module_import_aggregation = True  # scripts import each other by relative addresses

    def url(self, name: str | None, force: bool = False) -> str:
        """The address of a file."""
        if not self.hashed_files:
            return StaticFilesStorage.url(self, name)
        return str(super().url(name or "", force))
