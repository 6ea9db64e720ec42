/* Plays a bundle by a list of calls and writes what is heard as 32-bit floats: play BUNDLE CALLS OUT.f32
 *
 * A line of the list is a frame and a call, with names or - for none:
 *   0 state deck plank            0 parameter depth 12.5 -        96000 glide depth - 40 48000
 *   0 event step pilot            0 listener 0 4 0 90 0           0 emitter eel eel 0 120 0 - 0
 *   0 walk - 0 5 0 1.7            0 remove eel                    480000 end
 * What a game would do while it runs is done here before the first buffer: frames say when it counts.
 */
#include "estampie.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static estampie *all;

/* A name's key, or none. */
static uint64_t key(const char *name) { return strcmp(name, "-") == 0 ? 0 : estampie_key(all, name); }

/* A number, or as before. */
static float number(const char *text) { return strcmp(text, "-") == 0 ? ESTAMPIE_AS_BEFORE : strtof(text, NULL); }

static void fail(const char *what, const char *why) {
  fprintf(stderr, "play: %s: %s\n", what, why);
  exit(1);
}

int main(int count, char **arguments) {
  if (count != 4) fail("use", "play BUNDLE CALLS OUT.f32");
  char error[400];
  estampie_options options = {0};
  options.seed = 7;
  options.streaming = 1; /* nobody listens while it is written */
  all = estampie_load(arguments[1], &options, error, sizeof error);
  if (!all) fail(arguments[1], error);

  FILE *calls = fopen(arguments[2], "r");
  if (!calls) fail(arguments[2], "cannot be read");
  uint64_t end = 0;
  char line[600];
  while (fgets(line, sizeof line, calls)) {
    char word[8][100] = {{0}};
    unsigned long long frame = 0;
    int words = sscanf(line, "%llu %99s %99s %99s %99s %99s %99s %99s %99s", &frame, word[0], word[1], word[2], word[3], word[4], word[5], word[6], word[7]);
    if (words < 2) continue;
    int done = ESTAMPIE_OK;
    if (strcmp(word[0], "event") == 0) done = estampie_event(all, frame, key(word[1]), key(word[2]));
    else if (strcmp(word[0], "parameter") == 0) done = estampie_parameter(all, frame, key(word[1]), number(word[2]), key(word[3]));
    else if (strcmp(word[0], "glide") == 0) done = estampie_glide(all, frame, key(word[1]), number(word[2]), number(word[3]), strtoull(word[4], NULL, 10));
    else if (strcmp(word[0], "state") == 0) done = estampie_state(all, frame, key(word[1]), key(word[2]));
    else if (strcmp(word[0], "listener") == 0) done = estampie_listener(all, frame, number(word[1]), number(word[2]), number(word[3]), number(word[4]), strtoull(word[5], NULL, 10));
    else if (strcmp(word[0], "emitter") == 0) done = estampie_emitter(all, frame, key(word[1]), key(word[2]), number(word[3]), number(word[4]), number(word[5]), number(word[6]), strtoull(word[7], NULL, 10));
    else if (strcmp(word[0], "walk") == 0) done = estampie_walk(all, frame, key(word[1]), number(word[2]), number(word[3]), number(word[4]), number(word[5]));
    else if (strcmp(word[0], "remove") == 0) done = estampie_remove(all, frame, key(word[1]));
    else if (strcmp(word[0], "level") == 0) done = estampie_player_level(all, frame, key(word[1]), number(word[2]));
    else if (strcmp(word[0], "fade") == 0) done = estampie_stop_all(all, frame, strtoull(word[1], NULL, 10));
    else if (strcmp(word[0], "end") == 0) end = frame;
    else fail(line, "no such call");
    if (done != ESTAMPIE_OK) fail(line, estampie_text(done));
  }
  fclose(calls);

  FILE *out = fopen(arguments[3], "wb");
  if (!out) fail(arguments[3], "cannot be written");
  float buffer[2 * 777];
  for (uint64_t frame = 0; frame < end;) {
    size_t frames = end - frame < 777 ? (size_t)(end - frame) : 777;
    if (estampie_render(all, buffer, frames) != ESTAMPIE_OK) fail("render", "something broke");
    fwrite(buffer, sizeof(float), 2 * frames, out);
    frame += frames;
    char notice[300];
    while (estampie_poll(all, notice, sizeof notice)) fprintf(stderr, "%.2f s: %s\n", (double)frame / estampie_rate(all), notice);
  }
  fclose(out);
  estampie_free(all);
  return 0;
}
