/* Pitch to DAC code in whole numbers, the same on every processor.
 *
 * A pitch counts 8192nds of a semitone: note * 8192 + (bend - 8192) * bend_range, with a 14-bit bend and
 * a range in whole semitones.  Codes carry 32 binary places and are rounded once, halves to the lower code.
 * C99, no floating point, no library.  The numbers come from a correction that was measured; see firmware/README.md.
 */
#ifndef DYNAMIS_PITCH_CODE_H
#define DYNAMIS_PITCH_CODE_H

#include <stdint.h>

#define DYN_PITCH_STEPS 8192
#define DYN_MOST_PITCH (128 * (int32_t)DYN_PITCH_STEPS - 1)

/* law 'E': codes rise evenly with pitch; base is codes * 2^32 at pitch 0, scale codes * 2^32 a pitch step.
 * law 'L': codes double with each octave; base is codes * 2^32 at 0 Hz, scale codes * 2^16 above it at note 120.
 * sixteenths: what is added at each whole note from first_note on, in sixteenths of a code. */
struct dyn_correction {
    char law;
    int64_t base;
    int64_t scale;
    uint8_t first_note;
    uint8_t count;
    const int16_t *sixteenths;
};

/* Division by 2^bits that rounds down for negative numbers too; a plain shift of them is up to the compiler. */
static inline int64_t dyn_down(int64_t value, unsigned bits)
{
    return value < 0 ? -1 - ((-1 - value) >> bits) : value >> bits;
}

/* Codes * 2^32 above base under a law of hertz per volt. */
static inline int64_t dyn_swing(int64_t scale, int32_t pitch)
{
    /* 2^(k/12) with 30 binary places */
    static const int64_t semitones[12] = {
        INT64_C(1073741824), INT64_C(1137589835), INT64_C(1205234447), INT64_C(1276901417),
        INT64_C(1352829926), INT64_C(1433273380), INT64_C(1518500250), INT64_C(1608794974),
        INT64_C(1704458901), INT64_C(1805811301), INT64_C(1913190429), INT64_C(2026954652)
    };
    const int32_t note = pitch / DYN_PITCH_STEPS;
    const int64_t part = pitch % DYN_PITCH_STEPS;
    /* e^(x ln 2 / 12) between two semitones, to its third power */
    int64_t series = INT64_C(1791259) + ((INT64_C(34489) * part) >> 13);
    series = INT64_C(62021760) + ((series * part) >> 13);
    const int64_t fine = INT64_C(1073741824) + ((series * part) >> 13);
    const int64_t ratio = ((semitones[note % 12] * fine) >> 30) >> 6;
    return dyn_down(scale * ratio, (unsigned)(18 - note / 12));
}

/* What the table adds, in 2^-17 codes. */
static inline int64_t dyn_moved(const struct dyn_correction *correction, int32_t pitch)
{
    if (correction->count == 0)
        return 0;
    const int32_t end = (int32_t)(correction->count - 1) * DYN_PITCH_STEPS;
    int32_t place = pitch - (int32_t)correction->first_note * DYN_PITCH_STEPS;
    place = place < 0 ? 0 : place > end ? end : place;
    const int32_t index = place / DYN_PITCH_STEPS;
    const int64_t here = correction->sixteenths[index];
    const int64_t after = correction->sixteenths[index + 1 < correction->count ? index + 1 : index];
    return here * DYN_PITCH_STEPS + (after - here) * (place % DYN_PITCH_STEPS);
}

/* The code of a pitch, 0 ... most_code; pitches outside 0 ... 128 semitones take the nearest end. */
static inline uint32_t dyn_code(const struct dyn_correction *correction, int32_t pitch, uint32_t most_code)
{
    pitch = pitch < 0 ? 0 : pitch > DYN_MOST_PITCH ? DYN_MOST_PITCH : pitch;
    int64_t total = correction->base;
    total += correction->law == 'L' ? dyn_swing(correction->scale, pitch) : correction->scale * pitch;
    total += dyn_moved(correction, pitch) * 32768;
    const int64_t code = dyn_down(total + INT64_C(2147483647), 32);
    return code < 0 ? 0 : code > (int64_t)most_code ? most_code : (uint32_t)code;
}

/* The pitch of a note with a 14-bit bend (centre 8192) of so many semitones. */
static inline int32_t dyn_pitch(uint8_t note, uint16_t bend, uint8_t bend_semitones)
{
    return (int32_t)note * DYN_PITCH_STEPS + ((int32_t)bend - 8192) * (int32_t)bend_semitones;
}

#endif
