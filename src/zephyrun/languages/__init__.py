"""Front ends, one folder a language. Each turns a file's bytes into `FileFacts`."""
