"""The study: the document, its edits and history, its file, its cases, findings and reckonings."""
