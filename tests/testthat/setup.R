# Whether progress bars appear depends on the speed of the machine.
options(cli.progress_show_after = 1e6)
