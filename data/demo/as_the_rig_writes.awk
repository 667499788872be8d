# SPDX-License-Identifier: MIT
# The truth as the optical rig writes it: half as often, by its own clock, as roll, pitch and yaw in a ned world
# of its own heading, from markers that are stuck on a little askew.
function product(a, b, out) {
    out[0] = a[0] * b[0] - a[1] * b[1] - a[2] * b[2] - a[3] * b[3]
    out[1] = a[0] * b[1] + a[1] * b[0] + a[2] * b[3] - a[3] * b[2]
    out[2] = a[0] * b[2] - a[1] * b[3] + a[2] * b[0] + a[3] * b[1]
    out[3] = a[0] * b[3] + a[1] * b[2] - a[2] * b[1] + a[3] * b[0]
}
BEGIN {
    FS = ","
    degree = atan2(0, -1) / 180
    half = sqrt(0.5)
    swap[0] = 0; swap[1] = half; swap[2] = half; swap[3] = 0 # enu told in ned
    world[0] = cos(10 * degree); world[1] = 0; world[2] = 0; world[3] = sin(10 * degree) # heading 20 degrees off
    body[0] = cos(1 * degree); body[1] = sin(1 * degree); body[2] = 0; body[3] = 0 # rolled by 2 degrees
    print "# marlinspike log/1 world=ned"
    print "t[s],roll[deg],pitch[deg],yaw[deg]"
}
$1 ~ /^[0-9]/ && NR % 2 == 0 {
    for (i = 0; i < 4; i++) q[i] = $(i + 2)
    product(q, body, turned)
    product(swap, turned, told)
    product(world, told, q)
    roll = atan2(2 * (q[0] * q[1] + q[2] * q[3]), 1 - 2 * (q[1] * q[1] + q[2] * q[2]))
    sine = 2 * (q[0] * q[2] - q[3] * q[1])
    pitch = atan2(sine, sqrt(1 - sine * sine))
    yaw = atan2(2 * (q[0] * q[3] + q[1] * q[2]), 1 - 2 * (q[2] * q[2] + q[3] * q[3]))
    printf "%.6f,%.4f,%.4f,%.4f\n", $1 * (1 + 35e-6) + 17.25, roll / degree, pitch / degree, yaw / degree
}
