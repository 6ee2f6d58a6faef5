/* The board on a desktop computer: bytes in on standard input, replies out on standard output.
 *
 *   board DESIGN UNIT CHANNELS BITS SAFE_CODE LAW BASE SCALE
 *
 * A line that starts with '!' is for the host, not for the board:
 *   !wait MILLISECONDS   lets time pass      !reset   power off and on
 *   !tear                loses power in the middle of the next KEEP
 *   !outputs             prints the codes at the outputs
 * Time stands still otherwise, so that a dialogue gives the same answers every time.  With -live it runs.
 */
#define _POSIX_C_SOURCE 199309L
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "../board.h"

struct place {
    bool valid;
    struct dyn_held held;
};

static struct {
    struct dyn_board board;
    struct dyn_design design;
    uint32_t codes[DYN_MOST_CHANNELS];
    struct place places[DYN_MOST_CHANNELS][2];
    uint32_t boots, now;
    bool tear, torn;
} host;

static void output(void *context, uint8_t channel, uint32_t code)
{
    (void)context;
    host.codes[channel] = code;
}

static bool fetch(void *context, uint8_t channel, uint8_t place, struct dyn_held *held)
{
    (void)context;
    *held = host.places[channel][place].held;
    return host.places[channel][place].valid;
}

static bool store(void *context, uint8_t channel, uint8_t place, const struct dyn_held *held)
{
    (void)context;
    host.places[channel][place].valid = false;
    host.places[channel][place].held = *held;
    if (host.tear) { /* everything is written but the mark that makes it valid */
        host.tear = false;
        host.torn = true;
        return false;
    }
    host.places[channel][place].valid = true;
    return true;
}

static void send_bytes(void *context, const char *bytes, size_t count)
{
    (void)context;
    if (host.torn) /* a board without power says nothing more */
        return;
    fwrite(bytes, 1, count, stdout);
    fflush(stdout);
}

static void start(void)
{
    const struct dyn_hardware hardware = {NULL, output, fetch, store, send_bytes};
    host.torn = false;
    dyn_board_start(&host.board, &host.design, hardware, ++host.boots, host.now);
}

static void command(const char *line)
{
    unsigned long milliseconds;
    if (sscanf(line, "!wait %lu", &milliseconds) == 1) {
        host.now += (uint32_t)milliseconds;
        dyn_board_tick(&host.board, host.now);
    } else if (strcmp(line, "!reset") == 0) {
        start();
    } else if (strcmp(line, "!tear") == 0) {
        host.tear = true;
    } else if (strcmp(line, "!outputs") == 0) {
        for (uint8_t k = 0; k < host.board.channel_count; k++)
            printf("%s%" PRIu32, k == 0 ? "! " : " ", host.codes[k]);
        printf("\n");
        fflush(stdout);
    }
}

int main(int count, char **arguments)
{
    const bool live = count > 1 && strcmp(arguments[1], "-live") == 0;
    char **given = &arguments[live ? 2 : 1];
    char line[64];
    size_t length = 0;
    bool own = false, fresh = true;
    int byte;
    if (count != (live ? 10 : 9) || strlen(given[2]) > DYN_MOST_CHANNELS) {
        fprintf(stderr, "board [-live] DESIGN UNIT CHANNELS BITS SAFE_CODE LAW BASE SCALE\n");
        return 2;
    }
    host.design.design = given[0];
    host.design.unit = given[1];
    host.design.channels = given[2];
    host.design.bits = (uint8_t)atoi(given[3]);
    host.design.safe_code = (uint32_t)strtoul(given[4], NULL, 10);
    host.design.shipped.law = given[5][0];
    host.design.shipped.base = strtoll(given[6], NULL, 10);
    host.design.shipped.scale = strtoll(given[7], NULL, 10);
    start();
    while ((byte = getchar()) != EOF) {
        if (live) {
            struct timespec now;
            clock_gettime(CLOCK_MONOTONIC, &now);
            host.now = (uint32_t)((uint64_t)now.tv_sec * 1000u + (uint64_t)now.tv_nsec / 1000000u);
            dyn_board_tick(&host.board, host.now);
        }
        if (fresh && byte == '!')
            own = true;
        fresh = byte == '\n';
        if (!own) {
            dyn_board_receive(&host.board, (char)byte, host.now);
            if (host.torn)
                start();
        } else if (fresh) {
            line[length] = '\0';
            command(line);
            length = 0;
            own = false;
        } else if (length < sizeof line - 1) {
            line[length++] = (char)byte;
        }
    }
    return 0;
}
