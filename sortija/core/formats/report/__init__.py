"""The report of a campaign as a file: one web page, PDF or DOCX."""
