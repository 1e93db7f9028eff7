"""How luma is weighed from R'G'B'. Sources: ITU-R BT.601, BT.709, BT.2020."""

WEIGHTS = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}  # of red and of blue
