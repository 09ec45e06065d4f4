import { Box as MuiBox, Typography } from '@mui/material';
import {
  Background,
  BackgroundVariant,
  Controls,
  Handle,
  Position,
  ReactFlow,
  type Edge,
  type EdgeProps,
  type Node,
  type NodeProps,
} from '@xyflow/react';
import '@xyflow/react/dist/style.css';
import { memo, useMemo } from 'react';
import { BOX, endsOf, pathThrough, type Box, type Layout, type Relation } from './layout';

type TableNode = Node<{ box: Box; chosen: boolean }, 'table'>;
type RelationEdge = Edge<{ relation: Relation; lit: boolean }, 'relation'>;

/** The entity-relationship diagram. A table is chosen by click, or by Tab and Enter. */
export function Diagram({
  layout,
  chosen,
  onChoose,
}: {
  layout: Layout;
  chosen: string | undefined;
  onChoose: (table: string) => void;
}) {
  const nodes = useMemo<TableNode[]>(
    () =>
      layout.boxes.map((box) => ({
        id: box.table.name,
        type: 'table',
        position: { x: box.x, y: box.y },
        width: BOX.width,
        height: box.height,
        data: { box, chosen: box.table.name === chosen },
        ariaLabel: `Table ${box.table.name}`,
      })),
    [layout, chosen],
  );
  const edges = useMemo<RelationEdge[]>(
    () =>
      layout.relations.map((relation) => ({
        id: relation.id,
        type: 'relation',
        source: relation.from,
        target: relation.to,
        focusable: false,
        data: { relation, lit: relation.from === chosen || relation.to === chosen },
      })),
    [layout, chosen],
  );
  return (
    <MuiBox
      sx={{
        'height': '100%',
        'border': 1,
        'borderColor': 'divider',
        'borderRadius': 1,
        'bgcolor': 'background.paper',
        'overflow': 'hidden',
        '& .react-flow__handle': { visibility: 'hidden' },
        '& .react-flow__node:focus-visible': { outline: '2px solid', outlineColor: 'primary.main', borderRadius: 1 },
        '& .react-flow__controls-button': {
          bgcolor: 'background.paper',
          color: 'text.primary',
          borderColor: 'divider',
          fill: 'currentColor',
        },
        '& .react-flow__attribution': { bgcolor: 'transparent' },
        '& .react-flow__attribution a': { color: 'text.secondary' },
      }}
    >
      <ReactFlow
        key={layout.boxes.map(({ table }) => table.name).join()}
        nodes={nodes}
        edges={edges}
        nodeTypes={nodeTypes}
        edgeTypes={edgeTypes}
        fitView
        fitViewOptions={{ padding: { top: '14px', bottom: '14px', left: '14px', right: '52px' }, maxZoom: 1.15 }}
        minZoom={0.3}
        maxZoom={2}
        nodesDraggable={false}
        nodesConnectable={false}
        elementsSelectable
        onNodeClick={(_, node) => onChoose(node.id)}
        onSelectionChange={({ nodes: selected }) => {
          const [node] = selected;
          if (node && node.id !== chosen) onChoose(node.id);
        }}
      >
        <Background variant={BackgroundVariant.Dots} gap={18} size={1} color="var(--mui-palette-divider)" />
        <Controls showInteractive={false} />
      </ReactFlow>
    </MuiBox>
  );
}

const TableBox = memo(function TableBox({ data: { box, chosen } }: NodeProps<TableNode>) {
  return (
    <MuiBox
      sx={{
        height: box.height,
        width: BOX.width,
        bgcolor: 'background.default',
        border: chosen ? 2 : 1,
        borderColor: chosen ? 'primary.main' : 'text.secondary',
        borderRadius: 1,
        overflow: 'hidden',
        fontSize: 12,
      }}
    >
      <MuiBox
        sx={{
          height: BOX.head - 1,
          px: 1,
          display: 'flex',
          alignItems: 'center',
          justifyContent: 'space-between',
          gap: 1,
          borderBottom: 1,
          borderColor: 'divider',
        }}
      >
        <Typography sx={{ fontSize: 13, fontWeight: 650 }} noWrap>
          {box.table.name}
        </Typography>
        <Typography sx={{ fontSize: 11, color: 'text.secondary', whiteSpace: 'nowrap' }}>
          {box.table.estimated && '≈ '}
          {box.table.rows.toLocaleString('en-GB')}
        </Typography>
      </MuiBox>
      {box.lines.map(({ name, mark, own }) => (
        <MuiBox
          key={name}
          sx={{
            height: BOX.line,
            px: 1,
            display: 'flex',
            alignItems: 'center',
            justifyContent: 'space-between',
            gap: 0.5,
            color: own ? 'secondary.main' : 'text.primary',
            fontWeight: own ? 600 : 400,
          }}
        >
          <span>{name}</span>
          <MuiBox component="span" sx={{ fontSize: 10, color: 'text.secondary' }}>
            {mark}
          </MuiBox>
        </MuiBox>
      ))}
      <Handle type="target" position={Position.Left} />
      <Handle type="source" position={Position.Right} />
    </MuiBox>
  );
});

function RelationLine({ data }: EdgeProps<RelationEdge>) {
  const { relation, lit } = data!;
  const { points } = relation;
  const { parent, child } = endsOf(relation);
  const stroke = lit ? 'var(--mui-palette-primary-main)' : 'var(--mui-palette-text-secondary)';
  return (
    <g fill="none" stroke={stroke} strokeWidth={lit ? 2 : 1.2} opacity={lit ? 1 : 0.75}>
      <title>{`${relation.to}.${relation.columns} refers to ${relation.from}`}</title>
      <path d={pathThrough(points)} />
      {[parent, child].map(({ d, ring }, i) => (
        <g key={i}>
          <path d={d} />
          {ring && <circle cx={ring.x} cy={ring.y} r={3.5} fill="var(--mui-palette-background-paper)" />}
        </g>
      ))}
    </g>
  );
}

const nodeTypes = { table: TableBox };
const edgeTypes = { relation: RelationLine };
