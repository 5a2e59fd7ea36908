import { Type } from 'class-transformer';
import { IsArray } from 'class-validator';
import { ApiSummary, OperationView } from './apis.js';
import { PersonaView } from './personas.js';
import { ProviderView } from './providers.js';
import { NodeView, ReleaseSummary } from './releases.js';
import { NestedEach } from '../nested.js';

export class ApiList {
  @IsArray() @NestedEach() @Type(() => ApiSummary) items: ApiSummary[];
}
export class OperationList {
  @IsArray() @NestedEach() @Type(() => OperationView) items: OperationView[];
}
export class ProviderList {
  @IsArray() @NestedEach() @Type(() => ProviderView) items: ProviderView[];
}
export class PersonaList {
  @IsArray() @NestedEach() @Type(() => PersonaView) items: PersonaView[];
}
export class ReleaseList {
  @IsArray() @NestedEach() @Type(() => ReleaseSummary) items: ReleaseSummary[];
}
export class NodeList {
  @IsArray() @NestedEach() @Type(() => NodeView) items: NodeView[];
}
