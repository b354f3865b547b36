import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { RoomData } from '$api/client';
import { item, recipient } from '../../tests/made';
import '../../tests/line';
import { studio } from '../../tests/studio';
import Decide from './Decide.svelte';
import Exchange from './Exchange.svelte';
import { Review } from './review.svelte';
import { Seat } from './seat';
import { before, changes, levels, next, says, sums } from './changed';
import { counts, drawOn, nowhere, path, placed, placeIn } from './strokes';

const room = (more: Partial<RoomData> = {}) =>
  ({
    item: item('a.mov', { version: 'v2', number: 2, facts: { rate_num: 25, rate_den: 1 } as never }),
    package: 'p1',
    versions: [
      { id: 'v1', number: 1, label: '', at: '', now: false, look: '' },
      { id: 'v2', number: 2, label: '', at: '', now: true, look: '' },
    ],
    notes: [],
    people: [],
    stars: [],
    decided: [],
    rights: ['see', 'note', 'sign_off'],
    studio: false,
    before: 'v1',
    ...more,
  }) as unknown as RoomData;
const changed = vi.fn();
beforeEach(() => vi.clearAllMocks());

describe('the sign-off', () => {
  const open = (more: Partial<RoomData>, seat = new Seat('secret')) =>
    render(Decide, { open: true, seat, room: room(more), changed });

  it('is of the version that is looked at, with a line', async () => {
    studio.answers('POST /api/v1/r/secret/items/a.mov/verdict', {});
    open({});
    await userEvent.type(screen.getByLabelText('A line with it'), 'Lovely.');
    await userEvent.click(screen.getByText('Signed off'));
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/r/secret/items/a.mov/verdict')).toEqual([{ version: 'v2', verdict: 'signed_off', line: 'Lovely.' }])); // prettier-ignore
    expect(changed).toHaveBeenCalled();
  });

  it('says why it was not taken, and keeps the line', async () => {
    studio.refuses('POST /api/v1/r/secret/items/a.mov/verdict', 'There is a newer version of this.');
    open({});
    await userEvent.type(screen.getByLabelText('A line with it'), 'Not yet.');
    await userEvent.click(screen.getByText('Changes wanted'));
    expect(await screen.findByText('There is a newer version of this.')).toBeInTheDocument();
    expect(screen.getByLabelText('A line with it')).toHaveValue('Not yet.');
  });

  it('is not offered on an older version', () => {
    open({ item: item('a.mov', { version: 'v1', number: 1 }) });
    expect(screen.queryByText('Signed off')).toBeNull();
    expect(screen.getByText(/There is a newer version/)).toBeInTheDocument();
  });

  it('is asked for by the studio, of those who may', async () => {
    studio.answers('GET /api/v1/packages/p1', {
      recipients: [recipient('Hanne', { rights: ['see', 'sign_off'] }), recipient('Tove')],
    });
    studio.answers('POST /api/v1/packages/p1/rounds', {});
    open({ studio: true }, new Seat());
    expect(await screen.findByText(/Tove, may not sign off/)).toBeInTheDocument();
    await userEvent.click(screen.getByText('Begin the round'));
    await vi.waitFor(() =>
      expect(studio.sent('POST /api/v1/packages/p1/rounds')).toEqual([{ lines: ['Hanne'], items: [], message: '' }]),
    );
  });
});

describe('a round', () => {
  const two = (more: object = {}) => [
    { id: 'a.mov', name: 'a.mov', version: 'v2', number: 2, given: true, now: true },
    { id: 'b.mov', name: 'b.mov', version: 'w1', number: 1, given: true, now: true, ...more },
  ];
  const round = (items: object[]) =>
    ({ id: 'r1', name: 'Round 2 of 3', due: '', says: 'waits for Hanne', message: '', items }) as never;
  const open = (items: object[]) =>
    render(Decide, { open: true, seat: new Seat('secret'), room: room({ round: round(items) }), changed });

  it('is signed off as a whole', async () => {
    studio.answers('POST /api/v1/r/secret/verdict', []);
    open(two());
    await userEvent.click(screen.getByText('All 2 of the round'));
    expect(screen.getByText('b.mov, version 1')).toBeInTheDocument();
    await userEvent.click(screen.getByText('Sign all 2 off'));
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/r/secret/verdict')).toEqual([{ round: 'r1', verdict: 'signed_off', line: '' }])); // prettier-ignore
  });

  it('is not offered as a whole once one of it has a newer version, or is of one thing', () => {
    open(two({ now: false }));
    expect(screen.queryByText(/of the round/)).toBeNull();
    document.body.innerHTML = '';
    open(two({ given: false }));
    expect(screen.queryByText(/of the round/)).toBeNull();
    expect(screen.getByText('Signed off')).toBeInTheDocument();
  });
});

describe('notes that come in', () => {
  it('are shown before they are there, and taken in by a second press', async () => {
    const review = new Review(new Seat());
    review.room = room({ studio: true });
    const came = vi.fn();
    studio.answers('POST /api/v1/items/a.mov/in/csv', { new: 2, same: 1, differs: 0, done: 1, problems: [{ entry: 4, say: 'says nothing' }], first: ['Louder.'] }); // prettier-ignore
    render(Exchange, { open: true, review, room: review.room, printed: '/print', came });
    const file = new File(['note\r\nLouder.'], 'notes.csv');
    await userEvent.upload(screen.getByLabelText('File with notes'), file);
    expect(await screen.findByText(/“Louder.”/)).toBeInTheDocument();
    expect(screen.getByText(/entry 4/)).toBeInTheDocument();
    expect(came).not.toHaveBeenCalled();
    await userEvent.click(screen.getByText('Take 2 notes in'));
    await vi.waitFor(() => expect(came).toHaveBeenCalled());
    expect(studio.asked.filter((a) => a.line.endsWith('/in/csv')).map((a) => a.query)).toEqual([{}, { do: 'yes' }]);
  });
});

describe('what changed', () => {
  const line = { num: 25, den: 1, drop: false, start: 0 };
  const map = {
    frames: 300,
    old_frames: 250,
    stretches: [
      { kind: 'same', from: 0, to: 100, old: 0, old_end: 100 },
      { kind: 'new', from: 100, to: 150, old: 100, old_end: 100 },
      { kind: 'altered', from: 150, to: 200, old: 100, old_end: 150, sound: true },
      { kind: 'gone', from: 200, to: 200, old: 150, old_end: 160 },
      { kind: 'same', from: 200, to: 300, old: 160, old_end: 250 },
    ],
  } as never;
  it('leads from a newer frame to the older one', () => {
    expect([50, 120, 160, 299].map((f) => before(map, f).frame)).toEqual([50, 100, 110, 249]);
    expect(before(map, 120).kept).toBe(false);
    expect(before(map, 9999).frame).toBe(249);
  });
  it('is summed up, said, and gone through', () => {
    expect(sums(map, line)).toEqual([
      { kind: 'new', seconds: 2 },
      { kind: 'altered', seconds: 2 },
      { kind: 'gone', seconds: 0.4 },
      { kind: 'same', seconds: 8 },
    ]);
    expect(next(map, 0)?.from).toBe(100);
    expect(next(map, 250)?.from).toBe(100);
    expect(says(next(map, 120)!, line)).toBe('sounds different, 2.0 s');
    expect([50, 120, 160, 205, 250].map((f) => changes(map, f, line))).toEqual([false, true, true, true, false]);
  });
  it('plays both as loud, by turning the louder one down', () => {
    // EBU R 128: 6 LU more is twice the amplitude, near enough.
    const [now, old] = levels({ measured: true, lufs: -17 } as never, { measured: true, lufs: -23 } as never);
    expect(now).toBeCloseTo(0.501, 3);
    expect(old).toBe(1);
    expect(levels({} as never, {} as never)).toEqual([1, 1]);
  });
});

describe('strokes', () => {
  const box = { left: 100, top: 50, width: 800, height: 400 };
  it('lie on the picture whatever its size, and never beside it', () => {
    expect(placeIn(box, { clientX: 500, clientY: 250 })).toEqual([5000, 5000]);
    expect(placeIn(box, { clientX: 0, clientY: 9999 })).toEqual([0, 10_000]);
  });
  it('grow under the pen, and have two points with the other tools', () => {
    let pen = { tool: 'pen' as const, colour: 0, points: [[0, 0]] };
    for (const to of [
      [5, 5],
      [100, 100],
      [200, 100],
    ])
      pen = drawOn(pen, to) as typeof pen;
    expect(pen.points).toEqual([[0, 0], [100, 100], [200, 100]]); // prettier-ignore
    const arrow = drawOn({ tool: 'arrow', colour: 1, points: [[0, 0]] }, [500, 500]);
    expect(drawOn(arrow, [900, 900]).points).toEqual([[0, 0], [900, 900]]); // prettier-ignore
    expect([
      counts(arrow),
      counts({
        ...arrow,
        points: [
          [0, 0],
          [9, 9],
        ],
      }),
    ]).toEqual([true, false]);
  });
  it('are paths of SVG', () => {
    expect(path({ tool: 'box', colour: 0, points: [[1000, 1000], [5000, 5000]] }, 800, 400)).toBe('M80 40H400V200H80Z'); // prettier-ignore
    expect(path({ tool: 'pen', colour: 0, points: [[0, 0], [10_000, 10_000]] }, 800, 400)).toBe('M0 0L800 400'); // prettier-ignore
    expect(path({ tool: 'ellipse', colour: 0, points: [[0, 0], [10_000, 10_000]] }, 800, 400)).toMatch(/^M0 200a400 200/); // prettier-ignore
    expect(path({ tool: 'arrow', colour: 0, points: [[0, 0], [10_000, 0]] }, 800, 400)).toMatch(/^M0 0L800 0M/); // prettier-ignore
  });
  it('mark a spot, or an area where one pulled', () => {
    expect(placed([500, 500], [520, 510])).toEqual({ where: 'spot', x: 500, y: 500 });
    expect(placed([5000, 5000], [1000, 2000])).toEqual({ where: 'area', x: 1000, y: 2000, w: 4000, h: 3000 });
    expect(nowhere({ when: 'moment', at_us: 5, where: 'spot', x: 1, y: 2 })).toEqual({ when: 'moment', at_us: 5 });
  });
});
