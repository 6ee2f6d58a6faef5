#include "board.h"

#include <string.h>

#define MOST_FIELDS 12
#define PROTOCOL 1
#define MOST_BASE INT64_C(1000000000000000000)
#define MOST_SLOPE (INT64_C(1) << 39)
#define MOST_SWING (INT64_C(1) << 37)
#define MOST_SIXTEENTHS (16 * 2047)

enum error {
    OK, CHECKSUM, LENGTH, VERB, ARGUMENT, CHANNEL, GREETING, LOAD, INCOMPLETE, HASH, STORAGE
};

static const char *const words[] = {
    "", "checksum", "length", "verb", "argument", "channel", "greeting", "load", "incomplete", "hash", "storage"
};

/* -- putting lines together ---------------------------------------------------------------------- */

struct writer {
    char text[DYN_MOST_CHARACTERS + 3];
    size_t length;
};

static void put_text(struct writer *out, const char *text)
{
    while (*text != '\0' && out->length < DYN_MOST_CHARACTERS - 5)
        out->text[out->length++] = *text++;
}

static void put_field(struct writer *out, const char *text)
{
    put_text(out, " ");
    put_text(out, text);
}

static void put_number(struct writer *out, int64_t number)
{
    char digits[21];
    size_t place = sizeof digits - 1;
    uint64_t rest = number < 0 ? 0 - (uint64_t)number : (uint64_t)number;
    digits[place] = '\0';
    do {
        digits[--place] = (char)('0' + (int)(rest % 10));
        rest /= 10;
    } while (rest != 0);
    if (number < 0)
        digits[--place] = '-';
    put_field(out, &digits[place]);
}

static void hex_digits(char *text, uint32_t value, unsigned count)
{
    for (unsigned k = 0; k < count; k++)
        text[k] = "0123456789ABCDEF"[(value >> (4 * (count - 1 - k))) & 15u];
    text[count] = '\0';
}

/* CRC-16, polynomial 1021, initial value FFFF, not reflected. */
uint16_t dyn_crc16(const char *bytes, size_t count)
{
    uint32_t crc = 0xFFFF;
    for (size_t k = 0; k < count; k++) {
        crc ^= (uint32_t)(uint8_t)bytes[k] << 8;
        for (int bit = 0; bit < 8; bit++)
            crc = ((crc & 0x8000u) != 0 ? (crc << 1) ^ 0x1021u : crc << 1) & 0xFFFFu;
    }
    return (uint16_t)crc;
}

static void send_line(struct dyn_board *board, struct writer *out)
{
    char crc[5];
    hex_digits(crc, dyn_crc16(out->text, out->length), 4);
    out->text[out->length++] = ' ';
    memcpy(&out->text[out->length], crc, 4);
    out->length += 4;
    out->text[out->length++] = '\n';
    board->hardware.send(board->hardware.context, out->text, out->length);
}

static void send_error(struct dyn_board *board, const char *tag, enum error number)
{
    struct writer out = {.length = 0};
    put_text(&out, tag);
    put_field(&out, "ERR");
    put_number(&out, (int64_t)number);
    put_field(&out, words[number]);
    send_line(board, &out);
}

/* -- the hash of a correction: CRC-32 of IEEE 802.3 over its text -------------------------------- */

static uint32_t crc32_on(uint32_t crc, const char *bytes, size_t count)
{
    for (size_t k = 0; k < count; k++) {
        crc ^= (uint8_t)bytes[k];
        for (int bit = 0; bit < 8; bit++)
            crc = (crc & 1u) != 0 ? (crc >> 1) ^ 0xEDB88320u : crc >> 1;
    }
    return crc;
}

static uint32_t hash_number(uint32_t crc, int64_t number)
{
    struct writer text = {.length = 0};
    put_number(&text, number); /* with the space before it */
    return crc32_on(crc, text.text, text.length);
}

static uint32_t hash_of(const struct dyn_held *held)
{
    uint32_t crc = crc32_on(0xFFFFFFFFu, &held->law, 1);
    crc = hash_number(crc, held->base);
    crc = hash_number(crc, held->scale);
    crc = hash_number(crc, held->first_note);
    crc = hash_number(crc, held->count);
    for (uint8_t k = 0; k < held->count; k++)
        crc = hash_number(crc, held->sixteenths[k]);
    return crc ^ 0xFFFFFFFFu;
}

/* -- taking lines apart -------------------------------------------------------------------------- */

struct request {
    char *fields[MOST_FIELDS];
    size_t count;   /* all there are, also beyond those kept */
    char **values;  /* what follows the verb */
    size_t values_count;
};

static bool whole(const char *text, int64_t low, int64_t high, int64_t *number)
{
    const bool negative = *text == '-';
    const char *digits = negative ? text + 1 : text;
    const size_t count = strlen(digits);
    int64_t value = 0;
    if (count < 1 || count > 18)
        return false;
    for (size_t k = 0; k < count; k++) {
        if (digits[k] < '0' || digits[k] > '9')
            return false;
        value = value * 10 + (digits[k] - '0');
    }
    *number = negative ? -value : value;
    return *number >= low && *number <= high;
}

static void split(char *line, struct request *request)
{
    request->count = 0;
    char *start = line;
    for (char *at = line;; at++) {
        const bool end = *at == '\0';
        if (!end && *at != ' ')
            continue;
        if (request->count < MOST_FIELDS)
            request->fields[request->count] = start;
        request->count++;
        *at = '\0';
        start = at + 1;
        if (end)
            return;
    }
}

static int channel_of(const struct dyn_board *board, const char *text)
{
    if (strlen(text) != 1)
        return -1;
    const char *found = strchr(board->design->channels, text[0]);
    return found == NULL ? -1 : (int)(found - board->design->channels);
}

static uint32_t most_code(const struct dyn_board *board)
{
    return (uint32_t)(((uint64_t)1 << board->design->bits) - 1);
}

static void put_out(struct dyn_board *board, uint8_t channel, uint32_t code)
{
    board->hardware.output(board->hardware.context, channel, code);
}

static void all_safe(struct dyn_board *board)
{
    for (uint8_t channel = 0; channel < board->channel_count; channel++)
        put_out(board, channel, board->design->safe_code);
}

static struct dyn_correction correction_of(const struct dyn_held *held)
{
    const struct dyn_correction made = {
        held->law, held->base, held->scale, held->first_note, held->count, held->sixteenths
    };
    return made;
}

uint32_t dyn_board_play(struct dyn_board *board, uint8_t channel, int32_t pitch)
{
    const struct dyn_correction correction = correction_of(&board->held[channel]);
    const uint32_t code = dyn_code(&correction, pitch, most_code(board));
    put_out(board, channel, code);
    return code;
}

/* -- requests: each writes what follows OK, or gives the error ------------------------------------ */

static enum error obey_hello(struct dyn_board *board, const struct request *request, struct writer *out)
{
    (void)request;
    board->greeted = true;
    put_number(out, PROTOCOL);
    put_field(out, board->design->design);
    put_field(out, board->design->unit);
    put_field(out, board->design->channels);
    put_number(out, board->design->bits);
    put_number(out, board->boots);
    return OK;
}

static enum error obey_ping(struct dyn_board *board, const struct request *request, struct writer *out)
{
    (void)board, (void)request, (void)out;
    return OK;
}

static enum error obey_safe(struct dyn_board *board, const struct request *request, struct writer *out)
{
    (void)request, (void)out;
    all_safe(board);
    return OK;
}

static enum error obey_code(struct dyn_board *board, const struct request *request, struct writer *out)
{
    const int channel = channel_of(board, request->values[0]);
    int64_t code;
    if (channel < 0)
        return CHANNEL;
    if (!whole(request->values[1], 0, most_code(board), &code))
        return ARGUMENT;
    put_out(board, (uint8_t)channel, (uint32_t)code);
    put_number(out, code);
    return OK;
}

static enum error obey_note(struct dyn_board *board, const struct request *request, struct writer *out)
{
    const int channel = channel_of(board, request->values[0]);
    int64_t pitch;
    if (channel < 0)
        return CHANNEL;
    if (!whole(request->values[1], 0, DYN_MOST_PITCH, &pitch))
        return ARGUMENT;
    put_number(out, dyn_board_play(board, (uint8_t)channel, (int32_t)pitch));
    return OK;
}

static enum error obey_look(struct dyn_board *board, const struct request *request, struct writer *out)
{
    const int channel = channel_of(board, request->values[0]);
    if (channel < 0)
        return CHANNEL;
    const struct dyn_held *held = &board->held[channel];
    const char law[2] = {held->law, '\0'};
    char hash[9];
    put_field(out, law);
    put_number(out, held->base);
    put_number(out, held->scale);
    put_number(out, held->first_note);
    put_number(out, held->count);
    hex_digits(hash, hash_of(held), 8);
    put_field(out, hash);
    return OK;
}

static enum error obey_rows(struct dyn_board *board, const struct request *request, struct writer *out)
{
    const int channel = channel_of(board, request->values[0]);
    int64_t first;
    if (channel < 0)
        return CHANNEL;
    const struct dyn_held *held = &board->held[channel];
    if (!whole(request->values[1], 0, (int64_t)held->count - 1, &first))
        return ARGUMENT;
    for (int64_t k = first; k < held->count && k < first + 8; k++)
        put_number(out, held->sixteenths[k]);
    return OK;
}

static enum error obey_load(struct dyn_board *board, const struct request *request, struct writer *out)
{
    const int channel = channel_of(board, request->values[0]);
    const char *law = request->values[1];
    int64_t base, scale, first, count;
    (void)out;
    if (channel < 0)
        return CHANNEL;
    if (strcmp(law, "E") != 0 && strcmp(law, "L") != 0)
        return ARGUMENT;
    const int64_t most = (law[0] == 'E' ? MOST_SLOPE : MOST_SWING) - 1;
    if (!whole(request->values[2], 1 - MOST_BASE, MOST_BASE - 1, &base) ||
        !whole(request->values[3], -most, most, &scale) || !whole(request->values[4], 0, 127, &first) ||
        !whole(request->values[5], 0, 128 - first, &count) || (count == 0 && first != 0))
        return ARGUMENT;
    memset(&board->loaded, 0, sizeof board->loaded);
    board->loaded.law = law[0];
    board->loaded.base = base;
    board->loaded.scale = scale;
    board->loaded.first_note = (uint8_t)first;
    board->loaded.count = (uint8_t)count;
    board->loading_channel = (uint8_t)channel;
    board->filled = 0;
    board->loading = true;
    return OK;
}

static enum error obey_put(struct dyn_board *board, const struct request *request, struct writer *out)
{
    const size_t entries = request->values_count - 1;
    int64_t index, entry[8];
    if (!whole(request->values[0], 0, 127, &index))
        return ARGUMENT;
    for (size_t k = 0; k < entries; k++)
        if (!whole(request->values[1 + k], -MOST_SIXTEENTHS, MOST_SIXTEENTHS, &entry[k]))
            return ARGUMENT;
    if (!board->loading)
        return LOAD;
    if (index != board->filled || board->filled + entries > board->loaded.count)
        return INCOMPLETE;
    for (size_t k = 0; k < entries; k++)
        board->loaded.sixteenths[board->filled++] = (int16_t)entry[k];
    put_number(out, board->filled);
    return OK;
}

static enum error obey_keep(struct dyn_board *board, const struct request *request, struct writer *out)
{
    char hash[9];
    if (!board->loading)
        return LOAD;
    if (board->filled != board->loaded.count)
        return INCOMPLETE;
    board->loading = false;
    hex_digits(hash, hash_of(&board->loaded), 8);
    if (strcmp(hash, request->values[0]) != 0)
        return HASH;
    const uint8_t channel = board->loading_channel;
    const uint8_t place = board->place[channel] ^ 1u;
    board->loaded.generation = board->held[channel].generation + 1;
    if (!board->hardware.store(board->hardware.context, channel, place, &board->loaded))
        return STORAGE;
    board->held[channel] = board->loaded;
    board->place[channel] = place;
    put_field(out, hash);
    return OK;
}

static enum error obey_drop(struct dyn_board *board, const struct request *request, struct writer *out)
{
    (void)request, (void)out;
    board->loading = false;
    return OK;
}

static const struct verb {
    const char *name;
    size_t fewest, most;
    enum error (*obey)(struct dyn_board *, const struct request *, struct writer *);
} verbs[] = {
    {"HELLO", 0, 0, obey_hello}, {"PING", 0, 0, obey_ping}, {"SAFE", 0, 0, obey_safe}, {"CODE", 2, 2, obey_code},
    {"NOTE", 2, 2, obey_note},   {"LOOK", 1, 1, obey_look}, {"ROWS", 2, 2, obey_rows}, {"LOAD", 6, 6, obey_load},
    {"PUT", 2, 9, obey_put},     {"KEEP", 1, 1, obey_keep}, {"DROP", 0, 0, obey_drop},
};

static bool is_tag(const char *text)
{
    static const char digits[] = "0123456789abcdef";
    return strlen(text) == 2 && strchr(digits, text[0]) != NULL && strchr(digits, text[1]) != NULL;
}

static void take_line(struct dyn_board *board, uint32_t now)
{
    char *line = board->line;
    char crc[5];
    line[board->length] = '\0';
    /* A byte 0 in a line would end it early: such a line is as good as damaged. */
    char *last = strlen(line) == board->length ? strrchr(line, ' ') : NULL;
    if (last != NULL)
        hex_digits(crc, dyn_crc16(line, (size_t)(last - line)), 4);
    if (last == NULL || strcmp(crc, last + 1) != 0) {
        send_error(board, "--", CHECKSUM);
        return;
    }
    *last = '\0';
    struct request request;
    split(line, &request);
    if (!is_tag(request.fields[0]) || request.count < 2) {
        send_error(board, "--", VERB);
        return;
    }
    const char *tag = request.fields[0];
    const struct verb *verb = NULL;
    for (size_t k = 0; k < sizeof verbs / sizeof verbs[0]; k++)
        if (strcmp(verbs[k].name, request.fields[1]) == 0)
            verb = &verbs[k];
    if (verb == NULL) {
        send_error(board, tag, VERB);
        return;
    }
    /* Whatever is said readably keeps the outputs alive, also what is then refused. */
    board->quiet_since = now;
    request.values = &request.fields[2];
    request.values_count = request.count - 2;
    const bool always = verb->obey == obey_hello || verb->obey == obey_ping || verb->obey == obey_safe;
    struct writer out = {.length = 0};
    put_text(&out, tag);
    put_field(&out, "OK");
    enum error error = OK;
    if (!board->greeted && !always)
        error = GREETING;
    else if (request.values_count < verb->fewest || request.values_count > verb->most)
        error = ARGUMENT;
    else
        error = verb->obey(board, &request, &out);
    if (error != OK)
        send_error(board, tag, error);
    else
        send_line(board, &out);
}

void dyn_board_start(struct dyn_board *board, const struct dyn_design *design, struct dyn_hardware hardware,
                     uint32_t boots, uint32_t now_milliseconds)
{
    memset(board, 0, sizeof *board);
    board->design = design;
    board->hardware = hardware;
    board->channel_count = (uint8_t)strlen(design->channels);
    board->boots = boots;
    board->quiet_since = now_milliseconds;
    for (uint8_t channel = 0; channel < board->channel_count; channel++) {
        board->held[channel] = design->shipped;
        for (uint8_t place = 0; place < 2; place++) {
            struct dyn_held held;
            if (hardware.fetch(hardware.context, channel, place, &held) &&
                held.generation > board->held[channel].generation) {
                board->held[channel] = held;
                board->place[channel] = place;
            }
        }
    }
    all_safe(board);
    struct writer out = {.length = 0};
    put_text(&out, "--");
    put_field(&out, "READY");
    put_number(&out, PROTOCOL);
    put_number(&out, boots);
    send_line(board, &out);
}

void dyn_board_receive(struct dyn_board *board, char byte, uint32_t now_milliseconds)
{
    if (byte == '\r')
        return;
    if (byte != '\n') {
        if (board->length >= DYN_MOST_CHARACTERS)
            board->too_long = true;
        else
            board->line[board->length++] = byte;
        return;
    }
    if (board->too_long)
        send_error(board, "--", LENGTH);
    else if (board->length > 0)
        take_line(board, now_milliseconds);
    board->length = 0;
    board->too_long = false;
}

void dyn_board_tick(struct dyn_board *board, uint32_t now_milliseconds)
{
    if (board->greeted && now_milliseconds - board->quiet_since >= DYN_SILENCE_MILLISECONDS) {
        board->greeted = false;
        all_safe(board);
    }
}
