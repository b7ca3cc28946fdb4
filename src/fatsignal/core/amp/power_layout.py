"""Where a power stage's loop finds what it reads and what it remembers: all in one array, which the compiler so knows
not to overlap itself.
"""

# Ports of the circuit, in lanes: both triodes' grids and plates, both power grids. The modes of its two islands, and
# the state of transformer and loudspeaker; currents: the ports', the difference of the plates' and their sum.
PORTS, MODES, OUT, CURRENTS = 8, 8, 8, 8
POWER_A, POWER_B = 4, 5

# Of the circuit: poles, what signal and what is fed back do to modes and to ports, how ports see the modes (a
# row a mode), what ports do to modes (a row a port), and how each port's current tells on each port.
POLES, TO_MODES, BACK_TO_MODES, TO_PORTS, BACK_TO_PORTS = (8 * row for row in range(5))
SEEN, DRIVEN, K = 40, 40 + MODES * PORTS, 40 + 2 * MODES * PORTS
# Of both triodes, eight numbers each (`_pair`); of the stage, twelve (`_values`).
PAIR = K + PORTS * PORTS
STAGE = PAIR + 16
# Of transformer and loudspeaker: what the state becomes (a row for each that it comes from), what the current adds,
# what plate and loudspeaker see of it, and of the current.
OUT_A, OUT_C = STAGE + 16, STAGE + 16 + OUT * OUT
AT_PLATE, AT_SPEAKER, OUT_OHM = OUT_C + OUT, OUT_C + 2 * OUT, OUT_C + 3 * OUT
# What is remembered: modes, the state of the output, what plate and loudspeaker will find of it; supply, screens,
# cathodes, flux, what goes to the loudspeaker; open voltages at the last sample, with both plates' in the lanes after
# them; currents there and at the sample before.
STATE = OUT_OHM + 8
W, OUT_W = STATE, STATE + MODES
FOUND, P_LAST, I_LAST, I_OLDER, WORKING = (OUT_W + OUT + 8 * row for row in range(5))
# What lasts for one sample: open voltages, while a mean is found those at its end; the output's state to be; currents
# where a mean is to be found.
P = WORKING + 8
P_NOW, NEXT, I_NOW = P + PORTS, P + 2 * PORTS, P + 2 * PORTS + OUT
SIZE = I_NOW + CURRENTS
ABOVE, BELOW = 6, 7
