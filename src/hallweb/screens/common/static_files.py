"""Static files as the application serves them: compressed, and named by their content, so that browsers keep them."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedFiles(CompressedManifestStaticFilesStorage):
    """Names in templates, in styles and in the imports of scripts become those of the hashed files."""

    support_js_module_import_aggregation = True
