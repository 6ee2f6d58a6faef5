/* The board's side of the line protocol (docs/board-protocol.md): one object, fed with bytes and with time.
 *
 * C99, no allocation, no floating point.  The hardware is behind three functions that the board's own
 * firmware gives; host/main.c gives them for a desktop computer.
 */
#ifndef DYNAMIS_BOARD_H
#define DYNAMIS_BOARD_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "pitch_code.h"

#define DYN_MOST_CHARACTERS 127
#define DYN_MOST_CHANNELS 16
#define DYN_MOST_ENTRIES 128
#define DYN_SILENCE_MILLISECONDS 10000u

/* One correction with its table, as it is kept through a loss of power. */
struct dyn_held {
    uint32_t generation; /* the newer of two valid places holds; 0 is none */
    char law;
    int64_t base;
    int64_t scale;
    uint8_t first_note;
    uint8_t count;
    int16_t sixteenths[DYN_MOST_ENTRIES];
};

struct dyn_hardware {
    void *context;
    /* Put an output at a code. */
    void (*output)(void *context, uint8_t channel, uint32_t code);
    /* Read what place 0 or 1 of a channel holds; false where nothing valid is there. */
    bool (*fetch)(void *context, uint8_t channel, uint8_t place, struct dyn_held *held);
    /* Store into a place so that it becomes valid as the last thing; false where that failed. */
    bool (*store)(void *context, uint8_t channel, uint8_t place, const struct dyn_held *held);
    /* Send bytes to the computer. */
    void (*send)(void *context, const char *bytes, size_t count);
};

/* What is fixed in a board.  Names have no spaces and at most 24 characters. */
struct dyn_design {
    const char *design;
    const char *unit;
    const char *channels; /* a letter for each */
    uint8_t bits;
    uint32_t safe_code;
    struct dyn_held shipped; /* in force until something else is kept */
};

struct dyn_board {
    const struct dyn_design *design;
    struct dyn_hardware hardware;
    uint8_t channel_count;
    struct dyn_held held[DYN_MOST_CHANNELS];
    uint8_t place[DYN_MOST_CHANNELS];
    uint32_t boots;
    char line[DYN_MOST_CHARACTERS + 1];
    size_t length;
    bool too_long;
    bool greeted;
    uint32_t quiet_since;
    bool loading;
    uint8_t loading_channel;
    uint8_t filled;
    struct dyn_held loaded;
};

/* Start: `boots` counts the starts.  Takes what is in force from the places, makes all outputs safe, greets. */
void dyn_board_start(struct dyn_board *board, const struct dyn_design *design, struct dyn_hardware hardware,
                     uint32_t boots, uint32_t now_milliseconds);

/* Take one byte from the computer; replies go out by `send`. */
void dyn_board_receive(struct dyn_board *board, char byte, uint32_t now_milliseconds);

/* Call now and then: silence takes the outputs to their safe value. */
void dyn_board_tick(struct dyn_board *board, uint32_t now_milliseconds);

/* Play a pitch on a channel by the correction in force, as NOTE does; gives the code. */
uint32_t dyn_board_play(struct dyn_board *board, uint8_t channel, int32_t pitch);

uint16_t dyn_crc16(const char *bytes, size_t count);

#endif
