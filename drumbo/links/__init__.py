"""Links: serial and TCP lines to printers, and the sender that runs a print over one."""
