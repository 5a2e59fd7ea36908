import { Type } from 'class-transformer';
import { IsArray, ValidateNested } from 'class-validator';
import { ApiSummary, OperationView } from './apis.js';
import { PersonaView } from './personas.js';
import { ProviderView } from './providers.js';
import { NodeView, ReleaseSummary } from './releases.js';

export class ApiList {
  @IsArray() @ValidateNested({ each: true }) @Type(() => ApiSummary) items: ApiSummary[];
}
export class OperationList {
  @IsArray() @ValidateNested({ each: true }) @Type(() => OperationView) items: OperationView[];
}
export class ProviderList {
  @IsArray() @ValidateNested({ each: true }) @Type(() => ProviderView) items: ProviderView[];
}
export class PersonaList {
  @IsArray() @ValidateNested({ each: true }) @Type(() => PersonaView) items: PersonaView[];
}
export class ReleaseList {
  @IsArray() @ValidateNested({ each: true }) @Type(() => ReleaseSummary) items: ReleaseSummary[];
}
export class NodeList {
  @IsArray() @ValidateNested({ each: true }) @Type(() => NodeView) items: NodeView[];
}
