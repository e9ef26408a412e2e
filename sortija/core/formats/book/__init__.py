"""A book as a file: one web page, PDF, DOCX or Markdown."""
