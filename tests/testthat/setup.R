# Bars of progress come and go with the speed of the machine.
options(cli.progress_show_after = 1e6)
