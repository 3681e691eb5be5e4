"""What is shown, without saying on what: frozen views from which the window, the report and the command line draw."""
