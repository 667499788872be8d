/* SPDX-License-Identifier: MIT
 * Serial lines by termios. */
#include "marlinspike/posix.h"
#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

struct marl_serial {
    int fd;
};

static const struct {
    long baud;
    speed_t speed;
} speeds[] = {
    {9600, B9600},       {19200, B19200},   {38400, B38400},
    {57600, B57600},     {115200, B115200}, {230400, B230400},
#ifdef B460800
    {460800, B460800},
#endif
#ifdef B921600
    {921600, B921600},
#endif
#ifdef B1000000
    {1000000, B1000000},
#endif
#ifdef B2000000
    {2000000, B2000000},
#endif
};

const char *marl_serial_bauds(void)
{
    return "9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600, 1000000, 2000000";
}

static int find_speed(long baud, speed_t *speed)
{
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++) {
        if (speeds[i].baud == baud) {
            *speed = speeds[i].speed;
            return 1;
        }
    }
    return 0;
}

static int make_raw(int fd, speed_t speed)
{
    struct termios t;
    if (tcgetattr(fd, &t) != 0) {
        return 0;
    }
    t.c_iflag &= (tcflag_t) ~(IGNBRK | BRKINT | PARMRK | ISTRIP | INLCR | IGNCR | ICRNL | IXON | IXOFF);
    t.c_oflag &= (tcflag_t)~OPOST;
    t.c_lflag &= (tcflag_t) ~(ECHO | ECHONL | ICANON | ISIG | IEXTEN);
    t.c_cflag &= (tcflag_t) ~(CSIZE | PARENB | CSTOPB);
    t.c_cflag |= CS8 | CREAD | CLOCAL;
    t.c_cc[VMIN] = 0;
    t.c_cc[VTIME] = 0;
    /* what came in before that was translated, and may be old */
    return cfsetispeed(&t, speed) == 0 && cfsetospeed(&t, speed) == 0 && tcsetattr(fd, TCSANOW, &t) == 0 &&
           tcflush(fd, TCIFLUSH) == 0;
}

marl_status marl_serial_open(marl_serial **serial, const char *device, long baud)
{
    speed_t speed = B0;
    *serial = NULL;
    if (!find_speed(baud, &speed)) {
        return MARL_ERR_ARGUMENT;
    }
    int fd = open(device, O_RDWR | O_NOCTTY | O_NONBLOCK);
    if (fd < 0) {
        return MARL_ERR_SYSTEM;
    }
    marl_serial *s = make_raw(fd, speed) ? malloc(sizeof *s) : NULL;
    if (s == NULL) {
        int why = errno;
        close(fd);
        errno = why;
        return MARL_ERR_SYSTEM;
    }
    s->fd = fd;
    *serial = s;
    return MARL_OK;
}

void marl_serial_close(marl_serial *serial)
{
    if (serial != NULL) {
        close(serial->fd);
        free(serial);
    }
}

marl_status marl_serial_read(marl_serial *serial, uint8_t *bytes, size_t n, int timeout_ms, size_t *got)
{
    struct pollfd wait = {.fd = serial->fd, .events = POLLIN};
    *got = 0;
    int ready = poll(&wait, 1, timeout_ms);
    if (ready <= 0) {
        return ready == 0 || errno == EINTR ? MARL_OK : MARL_END;
    }
    ssize_t received = read(serial->fd, bytes, n);
    if (received > 0) {
        *got = (size_t)received;
        return MARL_OK;
    }
    /* readable and nothing there, or an error that does not pass: hung up */
    return received < 0 && (errno == EAGAIN || errno == EINTR) ? MARL_OK : MARL_END;
}

marl_status marl_serial_write(marl_serial *serial, const uint8_t *bytes, size_t n, int timeout_ms)
{
    while (n > 0) {
        struct pollfd wait = {.fd = serial->fd, .events = POLLOUT};
        int ready = poll(&wait, 1, timeout_ms);
        if (ready == 0) {
            return MARL_ERR_BUS_LATE;
        }
        ssize_t done = ready > 0 ? write(serial->fd, bytes, n) : -1;
        if (done < 0 && errno != EAGAIN && errno != EINTR) {
            return MARL_END;
        }
        if (done > 0) {
            bytes += done;
            n -= (size_t)done;
        }
    }
    return MARL_OK;
}
